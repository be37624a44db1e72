<script setup lang="ts">
/** The points that photos share, on this photo: a ring, its name, and how far off the solution is. */
import type { Tie, Vec2 } from '../../api/client'

defineProps<{
  ties: Tie[]
  photo: string
  chosen: string | null
  toScreen: (p: Vec2) => Vec2
  held: { id: string; at: Vec2 } | null
}>()
</script>

<template>
  <g
    v-for="t in ties.filter((x) => x.seen[photo])"
    :key="t.id"
    :class="['tie', { chosen: chosen === t.id }]"
    :data-tie="t.id"
    :transform="`translate(${toScreen(held?.id === t.id ? held.at : (t.seen[photo] as Vec2)).join()})`"
  >
    <circle r="6" /><circle r="1.4" class="dot" />
    <text x="10" y="-6"
      >{{ t.name }}{{ t.off_px[photo] === undefined ? '' : ` · ${t.off_px[photo].toFixed(1)} px` }}</text
    >
  </g>
</template>

<style scoped>
circle {
  fill: none;
  stroke: #fff;
  stroke-width: 4;
}
circle:not(.dot) {
  stroke: var(--ink);
  stroke-width: 2.4;
  fill: rgb(255 255 255 / 35%);
}
.chosen circle:not(.dot) {
  stroke: var(--action);
}
.dot {
  fill: var(--action);
  stroke: none;
}
text {
  font: 500 13px var(--label);
  fill: #fff;
  paint-order: stroke;
  stroke: rgb(34 48 58 / 85%);
  stroke-width: 3px;
}
</style>
