<script setup lang="ts">
/**
 * How the way is travelled, over the frames: handles on a curve of progress that never goes back. Dragged, they move
 * between their neighbours; a double press on the curve sets another one, on a handle takes it away.
 */
import { computed, ref } from 'vue'
import { begin } from '../hand/gesture'
import { useShot } from '../state/shot'
import { curvePath, dragged, withHandle, type Curve } from './pace'

const props = defineProps<{ x: (frame: number) => number; frameAt: (x: number) => number; top: number; low: number }>()
const s = useShot()
const kept = computed(() => s.shot.move.speed as Curve | null)
/** The curve in hand, until it is let go of. */
const hand = ref<Curve | null>(null)
const curve = computed(() => hand.value ?? kept.value)
const y = (progress: number) => props.low - (props.low - props.top) * progress
const line = computed(() => (curve.value ? curvePath(curve.value, props.x, y) : ''))
const set = (next: Curve) =>
  s.change('PATCH', '/travel', { speed: next }, (shot) => ({ ...shot, move: { ...shot.move, speed: next } }))

function at(event: PointerEvent | MouseEvent): [number, number] {
  const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect()
  return place(event, box)
}
function place(event: PointerEvent | MouseEvent, box: DOMRect): [number, number] {
  const progress = (props.low - (event.clientY - box.top)) / (props.low - props.top)
  return [props.frameAt(event.clientX - box.left), progress]
}
/** The last press on a handle: a gesture holds the pointer, so that the handle itself hears of no double click. */
let pressed = { i: -1, time: -Infinity }
const TWICE = 400 // ms
function grab(event: PointerEvent, i: number) {
  event.stopPropagation()
  const twice = pressed.i === i && event.timeStamp - pressed.time < TWICE
  pressed = { i, time: twice ? -Infinity : event.timeStamp }
  if (twice) return remove(i)
  const svg = (event.currentTarget as SVGElement).ownerSVGElement!
  const box = svg.getBoundingClientRect()
  begin(event, svg, {
    move: (e) => {
      hand.value = dragged(kept.value!, i, place(e, box))
      pressed.i = -1
    },
    finish: () => {
      if (hand.value) void set(hand.value)
      hand.value = null
    },
    giveUp: () => (hand.value = null),
  })
}
const add = (event: MouseEvent) => set(withHandle(kept.value!, at(event)))
function remove(i: number) {
  void set(kept.value!.filter((_, j) => j !== i))
}
</script>

<template>
  <g v-if="curve" data-pace>
    <path :d="line" class="reach" @pointerdown.stop @dblclick.stop="add">
      <title>Share of the way by each frame. Press twice to set a handle.</title>
    </path>
    <path :d="line" class="progress" />
    <circle
      v-for="(h, i) in curve"
      :key="i"
      :cx="x(h[0])"
      :cy="y(h[1])"
      :r="i && i < curve.length - 1 ? 5.5 : 3"
      :class="{ end: !i || i === curve.length - 1 }"
      :data-handle="i"
      @pointerdown="(e) => i && i < curve!.length - 1 && grab(e, i)"
    >
      <title>By frame {{ h[0].toFixed(0) }}, {{ (100 * h[1]).toFixed(1) }} % of the way. Press twice to remove.</title>
    </circle>
  </g>
</template>

<style scoped>
.progress {
  fill: none;
  stroke: var(--confirm);
  stroke-width: 1.6;
  pointer-events: none;
}
.reach {
  fill: none;
  stroke: transparent;
  stroke-width: 11;
}
circle {
  fill: #f8f7f3;
  stroke: var(--confirm);
  stroke-width: 2;
  cursor: move;
}
circle.end {
  fill: var(--confirm);
  cursor: default;
}
</style>
