<script setup lang="ts">
/** Over the ribbon, on demand: how fast near and far run, or how much picture lies beyond the frame's four sides. */
import { computed } from 'vue'
import { line, looked, SIDES, useAlong, type Along } from '../stages/move/along'

const props = defineProps<{ x: (frame: number) => number; top: number; low: number; end: number }>()
const { look, lines } = useAlong()
type Value = (f: Along['frames'][number]) => number | null

const drawn = computed<{ name: string; value: Value }[]>(() =>
  lines.value === 'pixels'
    ? [
        { name: 'near', value: (f) => f.near_px },
        { name: 'far', value: (f) => f.far_px },
      ]
    : SIDES.map((side) => ({ name: side, value: (f) => f[`${side}_px`] ?? looked(look.value!, side) })),
)
/** Least and greatest value of the lines; zero is always among them. */
const span = computed(() => {
  const all = drawn.value.flatMap((l) => look.value!.frames.map(l.value)).filter((v) => v !== null)
  const most = Math.max(1, ...all)
  return [Math.min(0, ...all), lines.value === 'room' ? Math.min(most, 400) : most] as const
})
const y = (v: number) => {
  const [a, b] = span.value
  return props.low - ((Math.min(b, Math.max(a, v)) - a) / (b - a)) * (props.low - props.top)
}
const limit = computed(() => (lines.value === 'pixels' ? look.value!.rushed_px : 0))
const says = computed(() => {
  const [a, b] = span.value
  if (lines.value === 'room') return `picture beyond the frame, ${a.toFixed(0)} to ${b.toFixed(0)} px`
  return `runs, up to ${b.toFixed(1)} px a frame${limit.value <= b ? '; rushed above the line' : ''}`
})
</script>

<template>
  <g v-if="look" :data-course="lines">
    <path v-if="limit >= span[0] && limit <= span[1]" :d="`M12 ${y(limit)}H${end}`" class="limit" />
    <path
      v-for="l in drawn"
      :key="l.name"
      :d="line(look.frames, l.value, x, y)"
      class="line"
      :class="l.name"
      :data-line="l.name"
    >
      <title>{{ l.name }}</title>
    </path>
    <text x="22" y="11" class="says">{{ says }}</text>
    <g v-for="(l, i) in drawn" :key="l.name" :transform="`translate(${end - 62 * (drawn.length - i)} 7)`">
      <path d="M0 0h16" class="line" :class="l.name" />
      <text x="20" y="4" class="says">{{ l.name }}</text>
    </g>
  </g>
</template>

<style scoped>
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.line.far,
.line.right {
  stroke-dasharray: 5 3;
}
.line.top {
  stroke: var(--confirm);
}
.line.bottom {
  stroke: var(--confirm);
  stroke-dasharray: 5 3;
}
.limit {
  stroke: var(--action);
  stroke-width: 1;
  stroke-dasharray: 2 3;
}
.says {
  font: 500 12px var(--label);
  fill: var(--ink-soft);
}
</style>
