<script setup lang="ts">
/** Plan view: solids from above, the photographer's places with their view cones, and the move. */
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { FrameCamera, Photo, Shape, Vec2, Vec3 } from '../api/client'
import PlanPhotos from './PlanPhotos.vue'
import { cone, fitted, grown, hullOf, type Area, type Place } from './planArea'
import { begin } from '../hand/gesture'
import { useKeys } from '../hand/keys'
import { usePanZoom } from './usePanZoom'

const props = defineProps<{
  shapes: Shape[]
  photos: Photo[]
  chosen?: string | null
  also?: string[]
  /** Corners of the chosen piece that can be dragged, and whether pieces can be moved. */
  edit?: boolean
  path?: FrameCamera[]
  keys?: { frame: number; position: number[]; home: boolean }[]
  now?: FrameCamera | null
  deliveredWidth?: number
  /** Pieces that lie under everything: the plan need not show them whole. */
  grounds?: string[]
}>()
const emit = defineEmits<{
  choose: [string, PointerEvent]
  shift: [Vec2, boolean]
  corner: [number, Vec2, boolean]
  dragKey: [number, Vec2, boolean]
  dragNow: [Vec2, boolean]
  pickKey: [number]
  /** What was dragged is given up: put everything back. */
  drop: []
}>()

const host = ref<HTMLElement>()
const UNIT = 100 // sheet units a metre
const STILL = 2 // pixels that a press may slip
const places = (): Place[] => [
  ...props.photos.flatMap((p) => (p.camera?.position ? [p.camera.position, ...(p.result?.rivals ?? [])] : [])),
  ...(props.keys ?? []).map((k) => k.position),
]
const opened = () => fitted(props.shapes, props.grounds ?? [], places())
const area = ref<Area>(opened())
/** What has been seen here: only what is new can make the plan grow, and not while something is in hand. */
let seen = new Set(props.shapes.map((s) => s.id))
let held = false
function grow() {
  if (held) return
  const made = props.shapes.filter((s) => !seen.has(s.id))
  seen = new Set(props.shapes.map((s) => s.id))
  area.value = grown(area.value, made, props.grounds ?? [], places())
}
watch(() => [props.shapes.map((s) => s.id).join('|'), places().length], grow)
const pan = usePanZoom(host, () => area.value.map((v) => v * UNIT) as Area, 14)
useKeys('everywhere', { fit: refit })
function refit() {
  area.value = opened()
  pan.fit()
}

const flat = (p: number[]): Vec2 => pan.toScreen([p[0] * UNIT, p[2] * UNIT])
const metres = (screen: Vec2): Vec2 => {
  const [x, y] = pan.toPicture(screen)
  return [x / UNIT, y / UNIT]
}
const line = (points: number[][], close = false) =>
  'M' +
  points
    .map((p) =>
      flat(p)
        .map((v) => v.toFixed(1))
        .join(' '),
    )
    .join('L') +
  (close ? 'Z' : '')

const outlines = computed(() =>
  props.shapes.map((s) => ({
    id: s.id,
    vertices: s.vertices,
    d: s.loops
      .map((l) =>
        line(
          l.map((i) => s.vertices[i]),
          true,
        ),
      )
      .join(''),
  })),
)
const step = computed(() => [0.5, 1, 2, 5, 10, 20, 50, 100, 200].find((m) => m * UNIT * pan.at.scale > 44) ?? 500)
const grid = computed(() => {
  const [x0, z0] = metres([0, 0])
  const [x1, z1] = metres([pan.width.value, pan.height.value])
  let d = ''
  const s = step.value
  for (let x = Math.ceil(x0 / s) * s; x < x1; x += s) {
    const [a] = flat([x, 0, 0])
    d += `M${a} 0V${pan.height.value}`
  }
  for (let z = Math.ceil(z0 / s) * s; z < z1; z += s) {
    const [, b] = flat([0, 0, z])
    d += `M0 ${b}H${pan.width.value}`
  }
  return d
})
/** Frames along the path, at most some thirty of them, as dots. */
const ticks = computed(() => {
  const path = props.path ?? []
  const step = [1, 2, 5, 10, 20, 50, 100, 200, 500].find((n) => path.length / n <= 30) ?? 1000
  return path.filter((c) => c.frame % step === 0).map((c) => `M${flat(c.position).join(' ')}h.01`)
})
const track = computed(() => (props.path && props.path.length > 1 ? line(props.path.map((c) => c.position)) : ''))
const nowCone = computed(() =>
  props.now
    ? line(
        cone(
          props.now.position,
          props.now.rotation as number[][],
          (props.deliveredWidth ?? 1920) / 2 / props.now.focal_px,
          9,
        ),
      )
    : '',
)

/** Corners in plan: of those above one another, one. */
const corners = computed(() => {
  const shape = props.edit ? props.shapes.find((s) => s.id === props.chosen) : undefined
  if (!shape || shape.vertices.length > 64) return []
  const seen = new Set<string>()
  return shape.vertices.flatMap((v, i) => {
    const key = `${v[0].toFixed(4)},${v[2].toFixed(4)}`
    if (seen.has(key)) return []
    seen.add(key)
    return [{ index: i, at: v as Vec3 }]
  })
})
/** Where a key's frame is written: to its right; to its left when another key stands close on that side. */
function label(key: { frame: number; position: number[] }) {
  const [x, y] = flat(key.position)
  const crowded = (props.keys ?? []).some((k) => {
    const [u, v] = flat(k.position)
    return k.frame !== key.frame && u >= x && u - x < 40 && Math.abs(v - y) < 14
  })
  return crowded ? { x: x - 9, y: y - 6, 'text-anchor': 'end' } : { x: x + 9, y: y - 6 }
}
function press(id: string, event: PointerEvent) {
  emit('choose', id, event)
  if (!props.edit || event.shiftKey) return
  const from = metres(pan.pointer(event))
  drag(event, (p, done) => emit('shift', [p[0] - from[0], p[1] - from[1]], done))
}
function pressCorner(index: number, event: PointerEvent) {
  const from = metres(pan.pointer(event))
  drag(event, (p, done) => emit('corner', index, [p[0] - from[0], p[1] - from[1]], done))
}

/** A key, or the lens, is dragged from where it stands: not to the pointer, which may have taken hold of its rim. */
function dragFrom(event: PointerEvent, at: number[], tell: (p: Vec2, done: boolean) => void, still?: () => void) {
  const from = metres(pan.pointer(event))
  drag(event, ([x, z], done) => tell([at[0] + x - from[0], at[2] + z - from[1]], done), still)
}
/** `tell`: once it has moved; `still`: when it was let go of where it was pressed. */
function drag(event: PointerEvent, tell: (p: Vec2, done: boolean) => void, still?: () => void) {
  if (event.button !== 0 || pan.space.value) return
  event.stopPropagation()
  host.value!.focus({ preventScroll: true })
  const to = (e: PointerEvent) => metres(pan.pointer(e))
  const end = () => {
    held = false
    grow()
  }
  let moved = false
  const far = (e: PointerEvent) => Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) > STILL
  begin(event, host.value!, {
    move: (e) => {
      moved ||= far(e)
      if (moved) tell(to(e), false)
    },
    finish: (e) => {
      if (moved || far(e)) tell(to(e), true)
      else still?.()
      end()
    },
    giveUp: () => {
      emit('drop')
      end()
    },
  })
  held = true
}
</script>

<template>
  <div ref="host" class="plan" role="group" tabindex="0" aria-label="Plan view" data-board>
    <svg style="display: block" :width="pan.width.value" :height="pan.height.value" :data-scale="pan.at.scale">
      <path :d="grid" class="grid" />
      <slot name="under" :flat="flat" :metres="metres" :width="pan.width.value" :height="pan.height.value" />
      <g
        v-for="o in outlines"
        :key="o.id"
        :data-plan="o.id"
        :class="{ chosen: o.id === chosen || also?.includes(o.id) }"
      >
        <path :d="o.d" class="solid" />
        <path :d="o.d" class="grip" @pointerdown="press(o.id, $event)" />
        <path
          v-if="edit && (o.id === chosen || also?.includes(o.id))"
          :d="line(hullOf(o.vertices), true)"
          class="body"
          @pointerdown="press(o.id, $event)"
        />
      </g>
      <PlanPhotos :photos="photos" :flat="flat" :line="line" />
      <rect
        v-for="c in corners"
        :key="`corner${c.index}`"
        class="corner"
        :data-plan-corner="c.index"
        :x="flat(c.at)[0] - 4"
        :y="flat(c.at)[1] - 4"
        width="8"
        height="8"
        @pointerdown="pressCorner(c.index, $event)"
      />
      <path v-if="track" :d="track" class="track" />
      <path v-if="track" :d="ticks.join('')" class="ticks" :data-ticks="ticks.length" />
      <path v-if="nowCone" :d="nowCone" class="now" />
      <g
        v-for="k in keys ?? []"
        :key="k.frame"
        class="key"
        :class="{ home: k.home }"
        :data-key="k.frame"
        @pointerdown="
          dragFrom(
            $event,
            k.position,
            (p, done) => emit('dragKey', k.frame, p, done),
            () => emit('pickKey', k.frame),
          )
        "
      >
        <rect
          :x="flat(k.position)[0] - 5"
          :y="flat(k.position)[1] - 5"
          width="10"
          height="10"
          transform-origin="center"
        />
        <text v-bind="label(k)">{{ k.frame }}{{ k.home ? ' home' : '' }}</text>
      </g>
      <circle
        v-if="now"
        class="lens"
        :cx="flat(now.position)[0]"
        :cy="flat(now.position)[1]"
        r="7"
        data-lens
        @pointerdown="dragFrom($event, now.position, (p, done) => emit('dragNow', p, done))"
      />
      <slot name="over" :flat="flat" :metres="metres" />
    </svg>
    <div class="scale">
      <i :style="{ width: `${step * UNIT * pan.at.scale}px` }" /><span class="figure">{{ step }} m</span>
    </div>
    <ElButton class="fit" title="Show everything that stands near (0)" @click="refit">Fit</ElButton>
  </div>
</template>

<style scoped>
.plan {
  position: absolute;
  inset: 0;
  background: #f4f2ed;
  overflow: hidden;
  touch-action: none;
  user-select: none;
}
.plan:focus:not(:focus-visible) {
  outline: none;
}
.grid {
  stroke: #dcd8ce;
  fill: none;
}
.solid {
  fill: rgb(34 48 58 / 6%);
  stroke: #22303a;
  stroke-width: 1;
}
.chosen .solid {
  stroke: var(--action);
  stroke-width: 1.8;
  fill: rgb(181 67 42 / 10%);
}
.grip {
  fill: none;
  stroke: transparent;
  stroke-width: 8;
  cursor: pointer;
}
.body {
  fill: transparent;
  stroke: none;
  cursor: move;
}
.corner {
  fill: #fff;
  stroke: var(--action);
  stroke-width: 1.5;
  cursor: move;
}
.cone {
  pointer-events: none;
  fill: none;
  stroke: var(--ink-soft);
  stroke-dasharray: 2 4;
}
.ticks {
  fill: none;
  stroke: var(--action);
  stroke-width: 4;
  stroke-linecap: round;
}
.track {
  pointer-events: none;
  fill: none;
  stroke: var(--action);
  stroke-width: 1.6;
}
.now {
  pointer-events: none;
  fill: rgb(181 67 42 / 9%);
  stroke: var(--action);
}
.key rect {
  fill: #fff;
  stroke: var(--action);
  stroke-width: 1.8;
  cursor: grab;
}
.key.home rect {
  fill: var(--confirm);
  stroke: var(--confirm);
}
.lens {
  fill: var(--action);
  fill-opacity: 0.25;
  stroke: var(--action);
  cursor: grab;
}
:deep(text) {
  font: 500 12px var(--label);
  fill: var(--ink);
  paint-order: stroke;
  stroke: #f4f2ed;
  stroke-width: 3px;
  pointer-events: none;
}
.scale {
  position: absolute;
  left: 12px;
  bottom: 10px;
  display: flex;
  align-items: center;
  gap: 6px;
  pointer-events: none;
}
.fit {
  position: absolute;
  left: 10px;
  top: 8px;
  background: var(--paper);
  padding: 3px 8px;
}
.scale i {
  display: block;
  height: 5px;
  border: 1px solid var(--ink);
  border-top: 0;
}
</style>
