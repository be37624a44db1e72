<script setup lang="ts">
/** What is drawn on the photo by hand: edges, a horizon, tapes, the datum. */
import { computed } from 'vue'
import type { Schemas, Survey, SurveyResult, Vec2 } from '../../api/client'
import { middleOf } from './edges'
import { horizonOf } from './horizon'

const props = defineProps<{
  survey: Survey
  photo: Schemas['Photo']
  result: SurveyResult | null
  selected: number[]
  toScreen: (p: Vec2) => Vec2
}>()
const horizon = computed(() => horizonOf(props.survey, props.photo))
</script>

<template>
  <g>
    <g
      v-for="(e, i) in survey.edges"
      :key="e.id"
      :class="[
        'edge',
        e.family ?? 'none',
        { chosen: selected.includes(i), faulty: (result?.edges[i]?.weight ?? 1) < 0.05 },
      ]"
      :data-edge="i"
    >
      <polyline class="halo" :points="e.points.map((p) => toScreen(p as Vec2).join()).join(' ')" />
      <polyline class="line" :points="e.points.map((p) => toScreen(p as Vec2).join()).join(' ')" />
      <template v-for="(p, j) in e.points" :key="j">
        <template v-if="j > 0 && j < e.points.length - 1"
          ><circle
            v-if="selected.includes(i)"
            class="end"
            :cx="toScreen(p as Vec2)[0]"
            :cy="toScreen(p as Vec2)[1]"
            r="3"
        /></template>
        <template v-else>
          <rect
            v-if="e.family === 'run'"
            class="end"
            :x="toScreen(p as Vec2)[0] - 4"
            :y="toScreen(p as Vec2)[1] - 4"
            width="8"
            height="8"
          />
          <circle
            v-else-if="e.family === 'return'"
            class="end"
            :cx="toScreen(p as Vec2)[0]"
            :cy="toScreen(p as Vec2)[1]"
            r="4.5"
          />
          <path
            v-else-if="e.family === 'second'"
            class="end"
            :d="`M${toScreen(p as Vec2)[0] - 5.5} ${toScreen(p as Vec2)[1]}l5.5 -5.5l5.5 5.5l-5.5 5.5Z`"
          />
          <path v-else class="end" :d="`M${toScreen(p as Vec2)[0] - 5} ${toScreen(p as Vec2)[1] + 4}l5 -9l5 9Z`" />
        </template>
      </template>
    </g>
    <g v-if="horizon" :class="['drawn-horizon', { assumed: !survey.horizon }]" data-drawn-horizon>
      <line
        :x1="toScreen(horizon[0])[0]"
        :y1="toScreen(horizon[0])[1]"
        :x2="toScreen(horizon[1])[0]"
        :y2="toScreen(horizon[1])[1]"
      />
      <circle
        v-for="(q, i) in survey.horizon ? horizon : [...horizon, middleOf(horizon)]"
        :key="i"
        :cx="toScreen(q as Vec2)[0]"
        :cy="toScreen(q as Vec2)[1]"
        r="4"
      />
    </g>
    <g v-for="(t, i) in survey.lengths" :key="t.id" class="tape" :data-tape="i">
      <line
        :x1="toScreen(t.a as Vec2)[0]"
        :y1="toScreen(t.a as Vec2)[1]"
        :x2="toScreen(t.b as Vec2)[0]"
        :y2="toScreen(t.b as Vec2)[1]"
      />
      <path
        v-for="end in [t.a, t.b]"
        :key="end.join()"
        :d="`M${toScreen(end as Vec2)[0] - 7} ${toScreen(end as Vec2)[1]}h14`"
      />
      <text
        :x="(toScreen(t.a as Vec2)[0] + toScreen(t.b as Vec2)[0]) / 2 + 9"
        :y="(toScreen(t.a as Vec2)[1] + toScreen(t.b as Vec2)[1]) / 2"
        >{{ t.metres }} m</text
      >
    </g>
    <g v-if="survey.datum" class="datum" data-datum :transform="`translate(${toScreen(survey.datum as Vec2).join()})`"
      ><circle r="7" /><path d="M-12 0H12M0 -12V12"
    /></g>
  </g>
</template>

<style scoped>
.edge polyline {
  fill: none;
}
.edge .halo {
  stroke: rgb(255 255 255 / 80%);
  stroke-width: 4.5;
}
.edge .line {
  stroke: #fff;
  stroke-width: 2.2;
}
.edge.run .line {
  stroke: var(--run);
}
.edge.return .line {
  stroke: var(--return);
  stroke-dasharray: 13 6;
  stroke-linecap: round;
}
.edge.rise .line {
  stroke: var(--rise);
  stroke-dasharray: 2.5 4;
}
.edge.second .line {
  stroke: var(--second);
  stroke-dasharray: 13 4 2.5 4;
}
.edge .end {
  fill: #fff;
  stroke: var(--ink);
  stroke-width: 1.2;
}
.edge.run .end {
  stroke: var(--run);
}
.edge.return .end {
  stroke: var(--return);
}
.edge.rise .end {
  stroke: var(--rise);
}
.edge.second .end {
  stroke: var(--second);
}
.edge.faulty .line {
  opacity: 0.75;
  stroke-dasharray: 3 7;
}
.edge.chosen .line {
  stroke-width: 3.4;
}
.edge.chosen .end {
  fill: var(--action);
}
.drawn-horizon line {
  stroke: #fff;
  stroke-width: 2.2;
  stroke-dasharray: 10 4;
}
.drawn-horizon.assumed line {
  stroke-dasharray: 3 6;
}
.drawn-horizon circle {
  fill: var(--ink);
  stroke: #fff;
}
.tape line {
  stroke: var(--action);
  stroke-width: 2.4;
}
.tape path {
  stroke: var(--action);
  stroke-width: 2.4;
}
.datum circle,
.datum path {
  fill: none;
  stroke: #fff;
  stroke-width: 2;
  paint-order: stroke;
}
.datum circle {
  stroke: var(--action);
}
text {
  font: 500 13px var(--label);
  fill: #fff;
  paint-order: stroke;
  stroke: rgb(34 48 58 / 80%);
  stroke-width: 3px;
}
</style>
