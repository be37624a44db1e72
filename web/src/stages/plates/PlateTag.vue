<script setup lang="ts">
/** A plate's number, on its pigment. */
import { computed } from 'vue'
import { PIGMENTS } from '../../board/verdicts'
import { useShot } from '../../state/shot'

const props = defineProps<{ plate: string }>()
const s = useShot()
const at = computed(() => s.shot.plates.findIndex((p) => p.id === props.plate))
</script>

<template>
  <i class="tag" :style="{ background: PIGMENTS[at % 8] }">{{ at + 1 }}</i>
</template>

<style scoped>
.tag {
  display: inline-grid;
  place-items: center;
  min-width: 18px;
  height: 18px;
  color: #fff;
  font: 500 12px/1 var(--figure);
  font-style: normal;
  margin-right: 4px;
  flex: none;
}
</style>
