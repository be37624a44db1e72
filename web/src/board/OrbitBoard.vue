<script setup lang="ts">
/** The set from any side: drag turns about the middle, Shift and drag shifts it, the wheel comes nearer. */
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import type { Shape, ShotState, Vec2, Vec3 } from '../api/client'
import { begin } from '../hand/gesture'
import { fromPanTiltRoll, type View } from './camera'
import type { Paced, Quality } from './paced'
import { Thrown } from './thrown'
import Wire from './Wire.vue'

const props = defineProps<{
  state: ShotState
  shapes: Shape[]
  chosen: string | null
  also: string[]
  thrown: boolean
  /** What is in the middle, and how many metres away it is seen from, if not all that stands near. */
  about?: { at: Vec3; far: number }
  /** What is to be in the picture besides. */
  besides?: Vec3[]
}>()
const emit = defineEmits<{ choose: [string, PointerEvent] }>()
const host = ref<HTMLElement>()
const gl = ref<HTMLCanvasElement>()
const { width, height } = useElementSize(host)
const eye = reactive({ pan: 35, tilt: -24, far: 30, at: [0, 1, 0] as Vec3 })
const failed = ref(false)
const leftOut = ref<string | null>(null)
const key = computed(() => JSON.stringify([props.shapes, props.thrown, props.state.shot.throws, props.state.pictures]))
let drawn: Thrown | null = null
let pace: Paced | null = null

/** Around what stands within reach of the home camera: the backdrop and the ground's edge are far beyond it. */
function fit() {
  if (props.about) {
    eye.at = [...props.about.at]
    eye.far = props.about.far
    return
  }
  const near = props.shapes.filter((s) => !s.hidden && Math.max(...s.vertices.map((v) => Math.hypot(v[0], v[2]))) < 70)
  const v = [...near.flatMap((s) => s.vertices), ...(props.besides ?? [])]
  if (!v.length) return
  const low = [0, 1, 2].map((k) => Math.min(...v.map((p) => p[k])))
  const high = [0, 1, 2].map((k) => Math.max(...v.map((p) => p[k])))
  eye.at = [0, 1, 2].map((k) => (low[k] + high[k]) / 2) as Vec3
  eye.far = 1.15 * Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]) + 1
}
const view = computed<View>(() => {
  const r = fromPanTiltRoll(eye.pan, eye.tilt, 0)
  const focal = 1.1 * Math.max(Math.min(width.value, 1.6 * height.value), 1) // in a wide, low pane the height counts
  return {
    width: width.value,
    height: height.value,
    focal,
    centre: [width.value / 2, height.value / 2],
    rotation: r,
    position: [0, 1, 2].map((k) => eye.at[k] - eye.far * r[2][k]) as Vec3,
  }
})
function render(quality: Quality) {
  if (!drawn?.ready || !gl.value || width.value < 2) return
  const ratio = window.devicePixelRatio || 1
  drawn.render(view.value, Math.round(width.value * ratio), Math.round(height.value * ratio), [], quality)
  gl.value.dataset.drawn = String(props.state.revision)
}
async function rebuild() {
  await drawn?.set(props.state, { shaded: !props.thrown, hide: true })
  leftOut.value = drawn?.leftOut() ?? null
  pace?.ask()
}
onMounted(() => {
  fit()
  try {
    drawn = new Thrown(gl.value!, [0x8c9093, 1], [0.86, 0.84, 0.79]) // bare surfaces are paper, not holes
    pace = drawn.paced(render)
  } catch {
    failed.value = true
    return
  }
  void rebuild()
})
onBeforeUnmount(() => drawn?.dispose())
watch(key, rebuild)
watch(
  () => !!props.about,
  () => fit(),
)
watch(view, () => pace?.ask())

let grab: { from: Vec2; pan: number; tilt: number; at: Vec3; shift: boolean } | null = null
function down(event: PointerEvent) {
  if (event.button > 1) return
  host.value!.focus({ preventScroll: true })
  const was = { pan: eye.pan, tilt: eye.tilt, at: [...eye.at] as Vec3 }
  begin(event, host.value!, {
    move,
    finish: () => (grab = null),
    giveUp: () => {
      Object.assign(eye, was)
      grab = null
    },
  })
  grab = {
    from: [event.clientX, event.clientY],
    pan: eye.pan,
    tilt: eye.tilt,
    at: [...eye.at],
    shift: event.shiftKey || event.button === 1,
  }
}
function move(event: PointerEvent) {
  if (!grab) return
  const [dx, dy] = [event.clientX - grab.from[0], event.clientY - grab.from[1]]
  if (grab.shift) {
    const r = view.value.rotation
    const k = eye.far / view.value.focal
    eye.at = [0, 1, 2].map((i) => grab!.at[i] - k * (dx * r[0][i] + dy * r[1][i])) as Vec3
  } else {
    eye.pan = grab.pan - dx * 0.35
    eye.tilt = Math.min(85, Math.max(-89, grab.tilt - dy * 0.35))
  }
}
useEventListener(
  host,
  'wheel',
  (event: WheelEvent) => {
    event.preventDefault()
    eye.far = Math.min(800, Math.max(0.5, eye.far * Math.exp(event.deltaY * 0.0014)))
  },
  { passive: false },
)
function keys(event: KeyboardEvent) {
  const step: Record<string, [number, number]> = {
    ArrowLeft: [8, 0],
    ArrowRight: [-8, 0],
    ArrowUp: [0, -6],
    ArrowDown: [0, 6],
  }
  const by = step[event.key]
  if (by) {
    eye.pan += by[0]
    eye.tilt = Math.min(85, Math.max(-89, eye.tilt + by[1]))
    event.preventDefault()
  }
  if (event.key === '0') fit()
}
const same = (p: Vec2): Vec2 => p
</script>

<template>
  <div
    ref="host"
    class="orbit"
    role="group"
    tabindex="0"
    aria-label="The set from any side"
    data-orbit
    data-board
    :data-pan="eye.pan"
    @pointerdown="down"
    @keydown="keys"
  >
    <canvas ref="gl" />
    <svg :width="width" :height="height">
      <Wire
        :shapes="shapes.filter((x) => x.id === chosen || also.includes(x.id))"
        :view="view"
        :to-screen="same"
        :chosen="chosen"
        :also="also"
        :scale="1"
        :tick="`${eye.pan},${eye.tilt},${eye.far},${eye.at}`"
        @choose="(id, e) => emit('choose', id, e)"
      />
      <slot name="over" :view="view" />
    </svg>
    <p v-if="failed" class="told">This browser cannot draw in 3D (WebGL 2 is missing).</p>
    <p v-if="leftOut" class="left-out" role="status">{{ leftOut }}</p>
    <p class="how">Drag turns, Shift and drag shifts, the wheel comes nearer; 0 shows all.</p>
  </div>
</template>

<style scoped>
.orbit {
  user-select: none;
  position: absolute;
  inset: 0;
  background: #8c9093;
  overflow: hidden;
  touch-action: none;
  cursor: grab;
}
.orbit:focus:not(:focus-visible) {
  outline: none;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
svg {
  position: absolute;
  inset: 0;
}
.told {
  position: absolute;
  inset: 0;
  display: grid;
  place-content: center;
  color: #fff;
}
.how {
  position: absolute;
  left: 10px;
  bottom: 10px;
  padding: 4px 8px;
  background: var(--paper);
  color: var(--ink);
  border: 1px solid var(--ink);
  pointer-events: none;
}
</style>
