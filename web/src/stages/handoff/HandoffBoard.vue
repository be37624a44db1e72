<script setup lang="ts">
/** The frame as it will be delivered, painted by the engine itself. */
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useMove } from '../move/move'

const { s, playing } = useMove()
const router = useRouter()
const frame = ref(s.frame)
let timer = 0
watch(
  () => [s.frame, playing.value],
  () => {
    clearTimeout(timer)
    timer = window.setTimeout(() => (frame.value = s.frame), playing.value ? 400 : 120)
  },
  { immediate: true },
)
const src = computed(() => `/api/shots/${s.id}/frames/${frame.value}/picture?width=1280&of=${s.state?.revision}`)
</script>

<template>
  <div v-if="!s.state!.home && !s.keys.length" class="empty">
    <p>There is nothing to deliver yet: survey a photo and build what it shows.</p>
    <ElButton class="main" @click="router.push(`/shot/${s.id}/survey`)">Go to Survey</ElButton>
  </div>
  <div v-else class="delivered">
    <img :src="src" :alt="`Frame ${frame} as delivered`" />
    <p class="figure">
      frame {{ frame }} as delivered, painted by the engine, shown {{ Math.min(1280, s.shot.delivery.width) }} px wide
    </p>
  </div>
</template>

<style scoped>
.delivered {
  position: absolute;
  inset: 14px;
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
  justify-items: center;
}
img {
  max-width: 100%;
  max-height: 100%;
  min-height: 0;
  align-self: center;
  background: #000;
}
p {
  background: var(--paper);
  padding: 3px 10px;
  margin: 6px 0;
}
</style>
