<script setup lang="ts">
/** The frames as a ribbon of verdicts, keys as notches, the speed above, the play head. */
import { ElButton } from 'element-plus'
import { useElementSize, useRafFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { begin, gesturing } from '../hand/gesture'
import { useKeys } from '../hand/keys'
import NumberField from '../ledger/NumberField.vue'
import { SAYS, swatch, VERDICTS } from '../board/verdicts'
import { useMove } from '../stages/move/move'
import { useAlong } from '../stages/move/along'
import Course from './Course.vue'
import Pace from './Pace.vue'
import { shownAt } from './pace'

const { s, cameras, report, playing, checking, shownOf } = useMove()
const { look, lines, covers } = useAlong()
const host = ref<SVGSVGElement>()
const { width } = useElementSize(host as never)
const first = computed(() => s.state!.first_frame)
const last = computed(() => s.state!.last_frame)
const count = computed(() => last.value - first.value + 1)
const PAD = 12
const RIBBON = 30
const coursing = computed(() => lines.value !== 'speed' && look.value !== null)
/** Where the ribbon begins: the handles of a pace, and other lines than the speed's, need room above it. */
const TOP = computed(() => (s.shot.move.speed || coursing.value ? 74 : 38))
const cell = computed(() => Math.max(0.1, (width.value - 2 * PAD) / count.value))
const x = (frame: number) => PAD + (frame - first.value) * cell.value

const ORDER = ['void', 'bare', 'spilled', 'smeared', 'soft'] as const
/** Small shares matter most: the ribbon's height follows the square root of the share. */
const bars = computed(() =>
  (report.value?.report?.frames ?? []).flatMap((f) => {
    let y = TOP.value
    const failing = ORDER.reduce((sum, v) => sum + f[v], 0)
    const full = RIBBON * Math.sqrt(failing / 100)
    return ORDER.filter((v) => f[v] > 0).map((v) => {
      const h = Math.max((full * f[v]) / failing, f[v] > 0.005 ? 1 : 0)
      const bar = { key: `${f.frame}${v}`, v, x: x(f.frame), y, h }
      y += h
      return bar
    })
  }),
)
const open = computed(() => new Set(report.value?.report?.open))
const told = computed(() =>
  (report.value?.report?.frames ?? []).map((f) => ({
    frame: f.frame,
    as: open.value.has(f.frame) ? 'open' : f.holds ? 'good' : 'bad',
  })),
)
const speeds = computed(() => {
  const c = cameras.value
  return c.slice(1).map((b, i) => Math.hypot(...b.position.map((v, j) => v - c[i].position[j])) * s.shot.delivery.fps)
})
const top = computed(() => Math.max(...speeds.value, 0))
const curve = computed(() => {
  if (!speeds.value.length || top.value <= 1e-6) return ''
  const y = (v: number) => TOP.value - 6 - (TOP.value - 16) * (v / top.value)
  return (
    'M' + speeds.value.map((v, i) => `${(x(first.value + i) + cell.value).toFixed(1)} ${y(v).toFixed(1)}`).join('L')
  )
})
const ticks = computed(() => {
  const step = [1, 2, 5, 10, 12, 24, 25, 50, 100, 200, 500, 1000].find((n) => n * cell.value > 46) ?? 5000
  const out: number[] = []
  for (let f = Math.ceil(first.value / step) * step; f <= last.value; f += step) out.push(f)
  return out
})

function seek(event: PointerEvent) {
  playing.value = false
  const to = (e: PointerEvent) => {
    const box = host.value!.getBoundingClientRect()
    s.frame = Math.min(
      last.value,
      Math.max(first.value, Math.floor((e.clientX - box.left - PAD) / cell.value) + first.value),
    )
  }
  const was = s.frame
  begin(event, host.value!, { move: to, finish: to, giveUp: () => (s.frame = was) })
  to(event)
}
let started = 0
let from = 0
useRafFn(({ timestamp }) => {
  if (!playing.value) {
    started = 0
    return
  }
  if (!started) {
    started = timestamp
    from = s.frame
  }
  const on = Math.floor(((timestamp - started) / 1000) * s.shot.delivery.fps)
  const next = first.value + ((from - first.value + on) % count.value)
  if (next !== s.frame) s.frame = next
})
function go(frame: number) {
  if (gesturing()) return
  playing.value = false
  s.frame = Math.min(last.value, Math.max(first.value, frame))
}
/** Where a key is shown: under a pace not on the frame of its own time. */
const shown = (own: number) => shownAt(s.shot.move, own)
const homeFrame = computed(() => {
  const home = s.keys.find((k) => k.home)
  return home ? shownOf(home.frame) : null
})
useKeys('strip', {
  play: (event) => {
    // over a picture the space bar shifts it
    if (!(event.target as HTMLElement).closest('.plan, .picture')) playing.value = !playing.value
  },
  before: () => go(s.frame - 1),
  after: () => go(s.frame + 1),
  home: () => {
    if (homeFrame.value !== null) go(homeFrame.value)
  },
})
watch(
  () => s.id,
  () => (playing.value = false),
)
const swatches = VERDICTS.map((v, i) => ({ v, src: swatch(i) })).slice(1)
const failing = computed(() => told.value.filter((f) => f.as === 'bad').map((f) => f.frame))
const holding = computed(() => told.value.filter((f) => f.as === 'good').length)
function nextFailing() {
  const next = failing.value.find((f) => f > s.frame) ?? failing.value[0]
  if (next !== undefined) go(next)
}
</script>

<template>
  <section class="strip" aria-label="Strip">
    <svg ref="host" :height="TOP + 60" data-strip :data-cell="cell" @pointerdown="seek">
      <defs>
        <pattern id="p-soft" width="6" height="6" patternUnits="userSpaceOnUse">
          <rect width="6" height="6" fill="#d7e6f1" />
          <circle cx="3" cy="3" r="1.6" fill="#6f9fc4" />
        </pattern>
        <pattern id="p-smeared" width="6" height="6" patternUnits="userSpaceOnUse">
          <rect width="6" height="6" fill="#ecd9b4" />
          <path d="M-1 7L7 -1M-1 1L1 -1M5 7L7 5" stroke="#b87a12" stroke-width="1.8" />
        </pattern>
        <pattern id="p-spilled" width="6" height="6" patternUnits="userSpaceOnUse">
          <rect width="6" height="6" fill="#d9cfeb" />
          <path d="M-1 7L7 -1M-1 -1L7 7" stroke="#6b4fa0" stroke-width="1.3" />
        </pattern>
        <pattern id="p-void" width="6" height="6" patternUnits="userSpaceOnUse">
          <rect width="6" height="6" fill="#22303a" />
          <path d="M-1 7L7 -1" stroke="#fff" stroke-width="1" />
        </pattern>
        <pattern id="p-bare" width="6" height="6" patternUnits="userSpaceOnUse">
          <rect width="6" height="6" fill="#b5432a" />
        </pattern>
      </defs>
      <Course
        v-if="coursing"
        :x="(f: number) => x(f) + cell / 2"
        :top="18"
        :low="TOP - 10"
        :end="Math.max(PAD, width - PAD)"
      />
      <path v-if="curve && !coursing" :d="curve" class="speed" />
      <text v-if="curve && !coursing" :x="PAD + 10" y="11" class="label">speed, up to {{ top.toFixed(2) }} m/s</text>
      <rect :x="PAD" :y="TOP" :width="Math.max(0, width - 2 * PAD)" :height="RIBBON" class="ribbon" />
      <rect
        v-for="b in bars"
        :key="b.key"
        :x="b.x"
        :y="b.y"
        :width="cell + 0.2"
        :height="b.h"
        :fill="`url(#p-${b.v})`"
        :data-bar="b.v"
      />
      <rect
        v-for="f in told"
        :key="f.frame"
        :x="x(f.frame)"
        :y="TOP + RIBBON + 1"
        :width="cell + 0.2"
        height="4"
        :class="f.as"
        :data-told="f.as"
      />
      <rect
        v-for="c in covers"
        :key="c.from"
        :x="x(c.from)"
        :y="TOP + RIBBON + 6"
        :width="x(c.to + 1) - x(c.from)"
        height="3"
        class="hides"
        :data-hides="c.solid"
      >
        <title>A cut-out hides the whole frame</title>
      </rect>
      <g v-for="k in s.keys" :key="k.frame" class="notch" :class="{ home: k.home }">
        <path :d="`M${x(shown(k.frame)) + cell / 2} ${TOP - 1}l-5 -7h10Z`" />
        <text v-if="k.home" :x="x(shown(k.frame)) + cell / 2 + 8" :y="TOP - 3" class="label">home</text>
      </g>
      <g v-for="t in ticks" :key="t">
        <path :d="`M${x(t) + cell / 2} ${TOP + RIBBON + 6}v4`" class="tick" />
        <text :x="x(t) + cell / 2" :y="TOP + RIBBON + 22" class="number">{{ t }}</text>
      </g>
      <Pace
        v-if="!coursing"
        :x="(f) => x(f) + cell / 2"
        :frame-at="(at) => first + (at - PAD) / cell - 0.5"
        :top="12"
        :low="TOP - 9"
      />
      <path class="head" :d="`M${x(s.frame) + cell / 2} 4V${TOP + RIBBON + 8}`" data-head />
    </svg>
    <div class="controls">
      <ElButton class="play" :class="{ on: playing }" data-play @click="playing = !playing">
        {{ playing ? 'Pause' : 'Play' }}
      </ElButton>
      <ElButton class="step" data-says="−1 f" aria-label="One frame back" @click="go(s.frame - 1)" />
      <ElButton class="step" data-says="+1 f" aria-label="One frame on" @click="go(s.frame + 1)" />
      <NumberField
        id="frame"
        class="at"
        label="Frame"
        :model-value="s.frame"
        :digits="0"
        unit="f"
        :min="first"
        :max="last"
        @change="go($event!)"
      />
      <span class="figure quiet"
        >{{ ((s.frame - first) / s.shot.delivery.fps).toFixed(2) }} s of
        {{ (count / s.shot.delivery.fps).toFixed(2) }} s</span
      >
      <ElButton v-if="failing.length" @click="nextFailing">Next that fails</ElButton>
      <ul class="legend" aria-label="Verdicts">
        <li v-for="x in swatches" :key="x.v" :title="SAYS[x.v]">
          <img :src="x.src" alt="" width="22" height="12" />{{ x.v }}
        </li>
      </ul>
      <span class="end quiet" role="status">{{
        told.length
          ? `${holding} of ${told.length} frames hold${open.size ? ` · ${open.size} open` : ''}`
          : checking
            ? 'checking…'
            : 'not checked'
      }}</span>
    </div>
  </section>
</template>

<style scoped>
.strip {
  background: var(--paper);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
svg {
  width: 100%;
  display: block;
  cursor: pointer;
  touch-action: none;
}
.ribbon {
  fill: #f8f7f3;
  stroke: var(--rule);
}
.good {
  fill: var(--confirm);
}
.bad {
  fill: var(--action);
}
.open {
  fill: var(--rule);
}
.hides {
  fill: var(--ink);
}
.speed {
  fill: none;
  stroke: var(--ink-soft);
  stroke-width: 1.2;
}
.label {
  font: 500 12px var(--label);
  fill: var(--ink-soft);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 4px;
}
.number {
  font: 12px var(--figure);
  fill: var(--ink-soft);
  text-anchor: middle;
}
.tick {
  stroke: var(--rule);
}
.notch path {
  fill: var(--ink);
}
.notch.home path {
  fill: var(--confirm);
}
.head {
  stroke: var(--action);
  stroke-width: 2;
}
.controls {
  display: flex;
  white-space: nowrap;
  overflow: hidden;
  gap: 6px;
  align-items: center;
  padding: 6px 12px 10px;
  border-top: 1px solid var(--rule);
}
.controls button {
  padding: 6px 9px;
}
/* written beside the button's name, not as a part of it */
.step::before {
  content: attr(data-says);
}
.play {
  width: 62px;
}
.at {
  grid-template-columns: auto auto;
  margin: 0 4px;
}
.at :deep(.box) {
  width: 82px;
}
.legend {
  margin: 0 0 0 auto;
  padding: 0;
  list-style: none;
  display: flex;
  gap: 10px;
  font-size: 12px;
}
.legend li {
  display: flex;
  gap: 4px;
  align-items: center;
}
.legend img {
  border: 1px solid var(--ink);
  background: #cfcfcf;
}
@media (width < 1200px) {
  .legend {
    display: none;
  }
  .legend + .end {
    margin-left: auto;
  }
}
.end {
  white-space: nowrap;
  margin-left: 14px;
}
</style>
