<script setup lang="ts">
/** In plan: where the photos were taken from, with what they show, and where else they may have been taken from. */
import { computed } from 'vue'
import type { Photo, Vec2, Vec3 } from '../api/client'
import { cone } from './planArea'

const props = defineProps<{
  photos: Photo[]
  flat: (p: number[]) => Vec2
  line: (points: number[][]) => string
}>()

const mark = ([x, y]: Vec2) => `M${x - 5} ${y + 4}L${x} ${y - 5}L${x + 5} ${y + 4}Z`
const stands = computed(() =>
  props.photos
    .filter((p) => p.camera?.position)
    .map(({ id, name, camera, result }) => ({
      id,
      name,
      at: props.flat(camera!.position as Vec3),
      d: props.line(cone(camera!.position!, camera!.rotation as number[][], camera!.width / 2 / camera!.focal_px, 60)),
      rivals: (result?.rivals ?? []).map((r) => props.flat(r)),
    })),
)
</script>

<template>
  <g v-for="p in stands" :key="p.id">
    <path :d="p.d" class="cone" />
    <path :d="mark(p.at)" class="place" />
    <text :x="p.at[0] + 8" :y="p.at[1] + 14">{{ p.name }}</text>
    <g v-for="(r, i) in p.rivals" :key="i" class="rival" data-rival>
      <path :d="mark(r)" class="place" />
      <text :x="r[0] + 8" :y="r[1] + 14">{{ p.name }}, or from here</text>
    </g>
  </g>
</template>

<style scoped>
.cone {
  pointer-events: none;
  fill: none;
  stroke: var(--ink-soft);
  stroke-dasharray: 2 4;
}
.place {
  fill: #f4f2ed;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.rival .place {
  stroke-dasharray: 2 2;
}
.rival text {
  fill: var(--ink-soft);
}
</style>
