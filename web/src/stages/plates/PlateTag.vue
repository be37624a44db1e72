<script setup lang="ts">
/** A plate's number, on its pigment. */
import { computed } from 'vue'
import { useShot } from '../../state/shot'

const props = defineProps<{ plate: string }>()
const s = useShot()
const PIGMENTS = ['#2f7d74', '#b87a12', '#6b4fa0', '#b5432a', '#2b5c8a', '#7a6a2c', '#8a3f66', '#44535c']
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
