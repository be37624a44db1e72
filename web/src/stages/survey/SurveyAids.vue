<script setup lang="ts">
/** Grids of the world and plumb lines over the photo, by which one sees whether the camera is right. */
import { computed } from 'vue'
import type { Camera, Vec2, Vec3 } from '../../api/client'
import { bentLine, groundGrid, viewOf, wallGrid } from '../../board/camera'
import { figureAt } from '../../board/figure'
import { useSurvey } from './survey'

const props = defineProps<{ camera: Camera; rise: Vec3; hover: Vec2 | null; toScreen: (p: Vec2) => Vec2 }>()
const { show } = useSurvey()
const PLUMB = 9

const step = computed(() => (props.camera.position ? 1 : 0.5))
const grid = computed(() => {
  const view = viewOf(props.camera)
  if (show.grid === 'none') return []
  if (show.grid === 'ground') return groundGrid(view, step.value)
  if (show.grid === 'ceiling') return groundGrid(view, step.value, show.ceiling > 0 ? show.ceiling : 3)
  return wallGrid(view, step.value, show.grid)
})
/** The upright line through a pixel, across the whole picture. */
function plumb(p: Vec2): [Vec2, Vec2] {
  const [x, y, w] = props.rise
  const d = [x - p[0] * w, y - p[1] * w]
  const n = Math.hypot(d[0], d[1]) || 1
  const far = props.camera.width + props.camera.height
  // not through the vanishing point and out on its other side
  const to = Math.abs(w) < 1e-12 ? far : n / Math.abs(w)
  const sign = w < 0 ? -1 : 1
  const towards = Math.min(far, 0.999 * to) * sign
  return [
    [p[0] - (sign * far * d[0]) / n, p[1] - (sign * far * d[1]) / n],
    [p[0] + (towards * d[0]) / n, p[1] + (towards * d[1]) / n],
  ]
}
const uprights = computed(() => {
  if (!show.plumb) return []
  const { width, height } = props.camera
  return Array.from({ length: PLUMB }, (_, i) => plumb([((i + 0.5) * width) / PLUMB, height / 2]))
})
/** A figure of 1.7 m where the pointer is, on the ground. */
const standing = computed(() => (show.figure && props.hover ? figureAt(props.camera, props.hover) : []))
const path = (lines: [Vec2, Vec2][]) => lines.map((l) => bentLine(props.camera, l, props.toScreen)).join('')
</script>

<template>
  <g>
    <path v-if="grid.length" class="grid" data-grid :d="path(grid)" />
    <path v-if="uprights.length" class="upright" data-plumb :d="path(uprights)" />
    <path v-if="standing.length" class="standing" data-standing :d="path(standing)" />
    <path v-if="show.plumb && hover" class="upright here" :d="path([plumb(hover)])" />
  </g>
</template>

<style scoped>
path {
  fill: none;
}
.grid {
  stroke: rgb(255 255 255 / 50%);
  stroke-width: 0.8;
}
.upright {
  stroke: #fff;
  stroke-width: 1.1;
  stroke-dasharray: 2 5;
}
.standing {
  stroke: #fff;
  stroke-width: 2;
  stroke-linecap: round;
  paint-order: stroke;
  filter: drop-shadow(0 0 1px rgb(34 48 58 / 90%));
}
.here {
  stroke-width: 1.8;
}
</style>
