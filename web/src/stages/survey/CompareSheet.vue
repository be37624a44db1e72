<script setup lang="ts">
/** Another photo, thrown over the geometry and seen from this one's camera, laid over this one. */
import { useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { PanZoom } from '../../board/usePanZoom'
import { begin } from '../../hand/gesture'

const props = defineProps<{
  src: string
  how: 'wipe' | 'blink' | 'difference'
  width: number
  height: number
  pan: PanZoom
}>()
const at = ref(0.5)
const lit = ref(true)
const loaded = ref(false)
useIntervalFn(() => (lit.value = !lit.value), 700)
const box = computed(() => ({
  left: `${props.pan.at.x}px`,
  top: `${props.pan.at.y}px`,
  width: `${props.width * props.pan.at.scale}px`,
  height: `${props.height * props.pan.at.scale}px`,
}))
const style = computed(() => ({
  ...box.value,
  clipPath: props.how === 'wipe' ? `inset(0 ${100 * (1 - at.value)}% 0 0)` : undefined,
  opacity: !loaded.value || (props.how === 'blink' && !lit.value) ? 0 : 1,
  mixBlendMode: props.how === 'difference' ? ('difference' as const) : undefined,
}))
function drag(event: PointerEvent) {
  const handle = event.currentTarget as HTMLElement
  const host = handle.parentElement!.getBoundingClientRect()
  const was = at.value
  const move = (e: PointerEvent) => {
    at.value = Math.min(1, Math.max(0, (e.clientX - host.left - props.pan.at.x) / (props.width * props.pan.at.scale)))
  }
  begin(event, handle, { move, finish: move, giveUp: () => (at.value = was) })
}
function key(event: KeyboardEvent) {
  if (event.key === 'ArrowLeft') at.value = Math.max(0, at.value - 0.02)
  else if (event.key === 'ArrowRight') at.value = Math.min(1, at.value + 0.02)
}
</script>

<template>
  <img
    :src="src"
    alt="The other photo, thrown over the geometry and seen from here"
    class="sheet"
    :style="style"
    data-compared
    :data-shown="loaded"
    draggable="false"
    @load="loaded = true"
  />
  <div
    v-if="how === 'wipe'"
    class="edge"
    role="slider"
    tabindex="0"
    aria-label="Where the wipe stands"
    :aria-valuenow="Math.round(100 * at)"
    aria-valuemin="0"
    aria-valuemax="100"
    :style="{ left: `${pan.at.x + at * width * pan.at.scale - 5}px`, top: box.top, height: box.height }"
    @pointerdown.stop="drag"
    @keydown="key"
  />
</template>

<style scoped>
.sheet {
  position: absolute;
  pointer-events: none;
}
.edge {
  position: absolute;
  width: 11px;
  cursor: ew-resize;
  padding: 0 4px;
  background: #fff content-box;
  outline-offset: 0;
}
</style>
