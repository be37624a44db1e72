<script setup lang="ts">
/** In plan: the distance that is in focus, across the view, and between which depths a point stays one pixel wide. */
import { computed } from 'vue'
import type { FrameCamera, Vec2 } from '../api/client'

const props = defineProps<{ now: FrameCamera; deliveredWidth: number; flat: (p: number[]) => Vec2 }>()
/** The frame's two sides at a depth, level with the lens. */
function across(depth: number): [Vec2, Vec2] {
  const [right, , ahead] = props.now.rotation as unknown as number[][]
  const half = (depth * props.deliveredWidth) / 2 / props.now.focal_px
  const place = (side: number) => props.now.position.map((v, i) => v + depth * ahead[i] + side * half * right[i])
  return [props.flat(place(-1)), props.flat(place(1))]
}
const path = (depth: number | null | undefined) =>
  depth ? `M${across(depth)[0].join(' ')}L${across(depth)[1].join(' ')}` : ''
const f = computed(() => props.now.focus!)
</script>

<template>
  <g data-focus>
    <path :d="path(f.focus_m)" class="focus" data-focus-at />
    <path :d="path(f.sharp_from_m)" class="sharp" />
    <path :d="path(f.sharp_to_m)" class="sharp" />
    <text :x="across(f.focus_m)[1][0] + 4" :y="across(f.focus_m)[1][1] + 4">focus {{ f.focus_m.toFixed(2) }} m</text>
  </g>
</template>

<style scoped>
path {
  fill: none;
  stroke: var(--ink);
}
.focus {
  stroke-width: 1.6;
}
.sharp {
  stroke-dasharray: 3 3;
}
</style>
