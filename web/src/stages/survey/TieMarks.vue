<script setup lang="ts">
/** The points that photos share, on this photo: a ring, its name, and how far off the solution is. */
import { computed } from 'vue'
import type { Tie, Vec2 } from '../../api/client'
import { WRONG } from './joining'

const props = defineProps<{
  ties: Tie[]
  photo: string
  chosen: string | null
  toScreen: (p: Vec2) => Vec2
  held: { id: string; at: Vec2 } | null
}>()
const here = computed(() => props.ties.filter((t) => t.seen[props.photo]))
/** Of more points than these, only the chosen one and those that are off have their names: the rest are in the list. */
const NAMED = 6
const named = (t: Tie) => here.value.length <= NAMED || t.id === props.chosen || (t.off_px[props.photo] ?? 0) > WRONG
</script>

<template>
  <g
    v-for="t in here"
    :key="t.id"
    :class="['tie', { chosen: chosen === t.id }]"
    :data-tie="t.id"
    :transform="`translate(${toScreen(held?.id === t.id ? held.at : (t.seen[photo] as Vec2)).join()})`"
  >
    <circle r="6" /><circle r="1.4" class="dot" />
    <text v-if="named(t)" x="10" y="-6"
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
