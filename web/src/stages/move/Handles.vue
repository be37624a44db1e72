<script setup lang="ts">
/** In plan: the handles of the key at this frame. Dragged, they say which way and how fast the camera passes it. */
import { computed, ref } from 'vue'
import type { Vec2 } from '../../api/client'
import { reaches, tip } from './passing'
import { usePassing } from './usePassing'

/** Pixels that a handle is longer than what it says, so that it can be taken hold of beside its key. */
const STEM = 16
const props = defineProps<{ flat: (p: number[]) => Vec2; metres: (screen: Vec2) => Vec2 }>()
const { s, key, velocity, drag } = usePassing()
const host = ref<SVGGElement>()
const handles = computed(() => {
  const [k, v] = [key.value, velocity.value]
  if (!k || !v) return []
  const at = s.keys.findIndex((x) => x.frame === k.frame)
  const { back, ahead } = reaches(s.keys, k.frame)
  return [
    { way: 'ahead', frames: ahead, to: s.keys[at + 1] },
    { way: 'back', frames: back === null ? null : -back, to: s.keys[at - 1] },
  ].flatMap((h) => {
    if (h.frames === null) return []
    const [from, end] = [props.flat(k.position), props.flat(tip(k, v, h.frames, h.to.position))]
    const long = Math.hypot(end[0] - from[0], end[1] - from[1])
    const far = long > 1e-6 ? 1 + STEM / long : 1
    const at: Vec2 = [from[0] + (end[0] - from[0]) * far, from[1] + (end[1] - from[1]) * far]
    return [{ way: h.way, frames: h.frames, from, at }]
  })
})
function take(event: PointerEvent, frames: number) {
  const [k, v] = [key.value!, velocity.value!]
  const svg = host.value!.ownerSVGElement!
  const box = svg.getBoundingClientRect()
  drag(event, svg.parentElement!, (e) => {
    const [kx, ky] = props.flat(k.position)
    const [dx, dy] = [e.clientX - box.left - kx, e.clientY - box.top - ky]
    const short = Math.max(0, 1 - STEM / Math.max(Math.hypot(dx, dy), 1e-9))
    const [x, z] = props.metres([kx + dx * short, ky + dy * short])
    return [(x - k.position[0]) / frames, v[1], (z - k.position[2]) / frames] // in plan its height is kept
  })
}
</script>

<template>
  <g ref="host" class="handles">
    <template v-for="h in handles" :key="h.way">
      <line :x1="h.from[0]" :y1="h.from[1]" :x2="h.at[0]" :y2="h.at[1]" />
      <circle :cx="h.at[0]" :cy="h.at[1]" r="5" :data-handle="h.way" @pointerdown="take($event, h.frames)" />
    </template>
  </g>
</template>

<style scoped>
line {
  stroke: var(--ink);
  stroke-width: 1.2;
  pointer-events: none;
}
circle {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 1.5;
  cursor: grab;
}
</style>
