<script setup lang="ts">
/** Where the vanishing points lie, also far outside of the photo: a small drawing, distances on a log scale. */
import { computed } from 'vue'
import type { SurveyResult, Vec2 } from '../../api/client'
import { DIRECTIONS, NAMES } from './survey'

const props = defineProps<{ result: SurveyResult; width: number; height: number }>()
const SIZE: Vec2 = [132, 82]
const UNIT = 12 // half the photo's width, in the drawing
/** Near the photo true, further out ever closer together. */
const draw = (x: number, y: number): Vec2 => {
  const far = Math.hypot(x, y)
  const k = far < 1 ? 1 : (1 + Math.log2(far)) / far
  return [SIZE[0] / 2 + UNIT * k * x, SIZE[1] / 2 + UNIT * k * y]
}
const marks = computed(() =>
  DIRECTIONS.flatMap((f) => {
    const point = props.result.vanishing_points[f]
    if (!point) return []
    const [x, y, w] = point
    const half = props.width / 2
    // at infinity only the direction is left
    const weight = Math.abs(w) < 1e-9 ? 1e-9 : w
    const u = (x / weight - half) / half
    const v = (y / weight - props.height / 2) / half
    const at = draw(u, v)
    const away = Math.hypot(u, v) / 2
    return {
      family: f,
      at: [Math.min(Math.max(at[0], 8), SIZE[0] - 8), Math.min(Math.max(at[1], 8), SIZE[1] - 8)] as Vec2,
      away,
    }
  }),
)
const said = (away: number) =>
  away > 500 ? 'at infinity' : `${away < 10 ? away.toFixed(1) : Math.round(away)} widths off`
</script>

<template>
  <figure class="overview" aria-label="Where the vanishing points lie">
    <svg :width="SIZE[0]" :height="SIZE[1]">
      <rect
        :x="SIZE[0] / 2 - UNIT"
        :y="SIZE[1] / 2 - (UNIT * height) / width"
        :width="2 * UNIT"
        :height="(2 * UNIT * height) / width"
      />
      <g v-for="m in marks" :key="m.family" :class="m.family">
        <line :x1="SIZE[0] / 2" :y1="SIZE[1] / 2" :x2="m.at[0]" :y2="m.at[1]" />
        <path :d="`M${m.at[0] - 4} ${m.at[1] - 4}l8 8m0 -8l-8 8`" />
      </g>
    </svg>
    <figcaption>
      <span v-for="m in marks" :key="m.family">{{ NAMES[m.family] }} {{ said(m.away) }}</span>
    </figcaption>
  </figure>
</template>

<style scoped>
.overview {
  position: absolute;
  left: 10px;
  bottom: 10px;
  margin: 0;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 4px 8px 4px 4px;
  display: flex;
  gap: 8px;
  align-items: center;
}
svg {
  display: block;
}
rect {
  fill: #cfcbc0;
  stroke: var(--ink);
}
line {
  stroke-width: 1;
  stroke: var(--rule);
}
path {
  stroke-width: 2.2;
  fill: none;
}
.run path,
.run line {
  stroke: var(--run);
}
.return path,
.return line {
  stroke: var(--return);
}
.return line {
  stroke-dasharray: 7 3;
}
.rise path,
.rise line {
  stroke: var(--rise);
}
.rise line {
  stroke-dasharray: 2 3;
}
.second path,
.second line {
  stroke: var(--second);
}
.second line {
  stroke-dasharray: 7 2 2 2;
}
figcaption {
  display: grid;
  font: 12px/1.4 var(--text);
}
/* in a low window the photo needs the room */
@media (height < 720px) {
  .overview {
    bottom: 48px;
  }
}
</style>
