<script setup lang="ts">
/** In plan: the distance that is in focus, across the view, and between which depths a point stays one pixel wide. */
import { computed } from 'vue'
import type { FrameCamera, Vec2 } from '../api/client'

const props = defineProps<{
  now: FrameCamera
  /** The distance that the hand has it at. */
  held?: number | null
  deliveredWidth: number
  flat: (p: number[]) => Vec2
}>()
const emit = defineEmits<{ take: [PointerEvent] }>()
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
const at = computed(() => props.held ?? f.value.focus_m)
</script>

<template>
  <g data-focus>
    <path :d="path(at)" class="focus" data-focus-at />
    <path v-if="!held" :d="path(f.sharp_from_m)" class="sharp" />
    <path v-if="!held" :d="path(f.sharp_to_m)" class="sharp" />
    <text :x="across(at)[1][0] + 4" :y="across(at)[1][1] + 4">focus {{ at.toFixed(2) }} m</text>
    <path :d="path(at)" class="grip" data-focus-grip @pointerdown="emit('take', $event)" />
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
.grip {
  stroke: transparent;
  stroke-width: 14;
  cursor: move;
  pointer-events: stroke;
}
.sharp {
  stroke-dasharray: 3 3;
}
</style>
