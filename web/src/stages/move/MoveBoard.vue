<script setup lang="ts">
/** Lens view (plates thrown, verdicts over it) and plan view, side by side with the frames below. */
import { ElButton, ElCheckbox } from 'element-plus'
import { useElementSize } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, got, latest, type FrameCamera, type Schemas, type Vec2, type Vec3 } from '../../api/client'
import { viewOfFrame } from '../../board/camera'
import Divider from '../../board/Divider.vue'
import FirstMove from '../photo/FirstMove.vue'
import Mark from './Mark.vue'
import Feels from './Feels.vue'
import Heading from './Heading.vue'
import Ends from './Ends.vue'
import MovePlan from './MovePlan.vue'
import { useSplit } from '../../board/useSplit'
import Wire from '../../board/Wire.vue'
import { begin, gesturing, giveUpGesture } from '../../hand/gesture'
import { sendHeld } from '../../hand/held'
import { useKeys } from '../../hand/keys'
import { plateName, surfaceName } from '../../state/names'
import { passesElsewhere, turned, useMove } from './move'
import { useFocus } from './useFocus'
import { useInk } from './useInk'
import { useDrawn } from './useDrawn'
import { useLensPicture } from './useLensPicture'

const { s, path, cameras, at, hand, overlay, giving, playing, story, letGo, turning, shownOf } = useMove()
const router = useRouter()
const host = ref<HTMLElement>()
const gl = ref<HTMLCanvasElement>()
const pair = ref<HTMLElement>()
const ink = ref<HTMLCanvasElement>()
const { width, height } = useElementSize(host)
const wire = ref(false)
const ends = ref(false)
const shown = ref<'both' | 'lens' | 'plan'>('both')
const split = useSplit(pair, () => shown.value === 'both')
const d = computed(() => s.shot.delivery)
const common = (a: number, b: number): number => (b ? common(b, a % b) : a)
const box = computed(() => {
  const pad = 12
  const k = Math.min((width.value - 2 * pad) / d.value.width, (height.value - 2 * pad) / d.value.height)
  // whole pixels of the delivered aspect where it is a plain one, so that nothing is squeezed
  const step = d.value.width / common(d.value.width, d.value.height)
  const w = Math.max(16, step <= 64 ? Math.floor((d.value.width * k) / step) * step : Math.round(d.value.width * k))
  const h = Math.max(9, Math.round((w * d.value.height) / d.value.width))
  return { w, h, x: (width.value - w) / 2, y: (height.value - h) / 2 }
})
const { taken, drawing } = useDrawn(host, () => d.value.width / box.value.w)
const view = computed(() =>
  at.value && path.value
    ? viewOfFrame(at.value, d.value.width, d.value.height, path.value.principal_point as Vec2)
    : null,
)

const { loading, leftOut } = useLensPicture(gl, box, view)
onBeforeUnmount(() => {
  sendHeld()
  putBack()
  playing.value = false
})

const { click: focusOn, focusing } = useFocus()
const { inked } = useInk(
  ink,
  () => Math.min(960, Math.max(160, box.value.w)),
  () => !!view.value,
)

// the pixel under the pointer tells its story
const pixel = ref<Vec2 | null>(null)
const probe = latest(
  (frame: number, x: number, y: number) =>
    got<Schemas['ProbeReport']>(
      api.GET('/api/shots/{shot_id}/frames/{frame}/probe', {
        params: { path: { shot_id: s.id, frame: String(frame) }, query: { x, y } },
      }),
    ),
  (got) => {
    if (pixel.value) story.value = got
  },
)
function pixelAt(event: PointerEvent): Vec2 {
  const b = host.value!.getBoundingClientRect()
  return [
    ((event.clientX - b.left - box.value.x) / box.value.w) * d.value.width,
    ((event.clientY - b.top - box.value.y) / box.value.h) * d.value.height,
  ]
}
// moving the camera in the lens view: drag turns it, with Shift it trucks and cranes, the wheel dollies
let grab: { from: Vec2; camera: FrameCamera; shift: boolean } | null = null
function putBack() {
  grab = null
  drawing.value = focusing.value = false
  heldKey.value = null
  hand.value = null
}
function down(event: PointerEvent) {
  if (event.button !== 0 || !at.value) return
  if (focusOn(pixelAt(event)) || taken(event)) return
  sendHeld()
  host.value!.focus({ preventScroll: true })
  playing.value = false
  pixel.value = story.value = null
  begin(event, host.value!, {
    move: turn,
    finish: () => {
      grab = null
      letGo()
    },
    giveUp: putBack,
  })
  grab = { from: [event.clientX, event.clientY], camera: { ...at.value }, shift: event.shiftKey }
}
function turn(event: PointerEvent) {
  if (!grab) return
  const { from, camera, shift } = grab
  const [dx, dy] = [event.clientX - from[0], event.clientY - from[1]]
  if (!hand.value && Math.hypot(dx, dy) < 3) return
  const c = { ...camera }
  const k = d.value.width / box.value.w
  if (shift) {
    const r = c.rotation as unknown as number[][]
    const m = (8 * k) / c.focal_px
    c.position = [0, 1, 2].map((i) => camera.position[i] - dx * m * r[0][i] - dy * m * r[1][i]) as Vec3
  } else {
    c.pan_deg = camera.pan_deg - ((dx * k) / c.focal_px) * (180 / Math.PI)
    c.tilt_deg = Math.max(-89, Math.min(89, camera.tilt_deg + ((dy * k) / c.focal_px) * (180 / Math.PI)))
  }
  hand.value = turned(c)
}
function move(event: PointerEvent) {
  if (gesturing()) return
  const p = pixelAt(event)
  if (p[0] < 0 || p[1] < 0 || p[0] >= d.value.width || p[1] >= d.value.height || playing.value) {
    pixel.value = story.value = null
    return
  }
  pixel.value = p
  if (s.shot.solids.length) probe(s.frame, Math.round(p[0] * 10) / 10, Math.round(p[1] * 10) / 10)
}
function wheel(event: WheelEvent) {
  event.preventDefault()
  if (!at.value || gesturing()) return
  playing.value = false
  const c = { ...at.value }
  const r = c.rotation as unknown as number[][]
  const step = -event.deltaY * 0.0025
  c.position = [0, 1, 2].map((i) => c.position[i] + step * r[2][i]) as Vec3
  hand.value = c
  turning()
}
useKeys('move', { verdicts: () => (overlay.value = !overlay.value), giveUp: putBack })

/** Keys on the frames that show them, where the camera passes them, also those that leave the position to others. */
const planKeys = computed(() =>
  s.keys.map((k) => {
    const asSeen = k.free?.includes('position') || passesElsewhere(s.shot.move)
    const frame = shownOf(k.frame)
    const passes = asSeen && cameras.value.find((c) => c.frame === frame)
    return { ...k, frame, position: passes ? passes.position : k.position }
  }),
)
/** The frame of the key that is dragged in plan. */
const heldKey = ref<number | null>(null)
function dragKey(frame: number, p: Vec3, done: boolean) {
  if (!planKeys.value.some((k) => k.frame === frame)) return void giveUpGesture()
  s.frame = frame
  heldKey.value = done ? null : frame
  dragNow(p, done)
}
watch(
  () => planKeys.value.some((k) => k.frame === heldKey.value),
  (there) => {
    if (there || heldKey.value === null) return
    giveUpGesture()
    s.problem = 'The key that you took hold of has been removed elsewhere.'
  },
)
function dragNow(p: Vec3, done: boolean) {
  const c = at.value
  if (!c) return
  playing.value = false
  hand.value = { ...c, position: p }
  if (done) letGo()
}
const WHY: Record<string, string> = {
  outside: 'outside of it',
  matte: 'matted out',
  hidden: 'hidden from it',
  back: 'turned away',
}
const surface = computed(() => (story.value?.surface ? surfaceName(s.shot, story.value.surface) : 'no surface'))
const told = computed(
  () => story.value?.rejected?.map((r) => `not ${plateName(s.shot, r.plate)}: ${WHY[r.reason]}`).join(' · ') ?? '',
)
const toScreen = ([x, y]: Vec2): Vec2 => [(x / d.value.width) * box.value.w, (y / d.value.height) * box.value.h]
</script>

<template>
  <div v-if="!s.state!.home && !s.keys.length" class="empty">
    <p>A move starts from a surveyed photo with a scale. What is not known yet can be assumed.</p>
    <template v-if="s.photo">
      <ElButton class="main" @click="router.push(`/shot/${s.id}/survey`)">Go to Survey</ElButton>
      <FirstMove label="Assume it: a first move" />
    </template>
    <ElButton v-else class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</ElButton>
  </div>
  <div v-else ref="pair" class="views" :class="`show-${shown}`" :style="split.style.value">
    <div
      v-show="shown !== 'plan'"
      ref="host"
      class="lens"
      role="group"
      tabindex="0"
      aria-label="Lens view"
      data-board
      :data-unit="box.w / d.width"
      @pointerdown="down"
      @pointermove="move"
      @pointerleave="pixel = story = null"
      @wheel="wheel"
    >
      <div class="sheet" :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${box.w}px`, height: `${box.h}px` }">
        <canvas ref="gl" data-lens-view />
        <canvas ref="ink" :style="{ visibility: inked ? 'visible' : 'hidden' }" data-verdicts :data-shown="inked" />
        <svg v-if="wire && view" :width="box.w" :height="box.h">
          <Wire :shapes="s.state!.shapes" :view="view" :to-screen="toScreen" :scale="box.w" faint />
        </svg>
        <Heading
          v-if="view"
          :view="view"
          :width="box.w"
          :height="box.h"
          :to-screen="toScreen"
          :unit="box.w / d.width"
        />
        <Mark :width="box.w" :height="box.h" :to-screen="toScreen" />
      </div>
      <div v-if="story" class="story" :class="{ up: pixel && pixel[1] > d.height / 2 }" data-story>
        <b>{{ story.verdict }}</b> {{ surface
        }}<template v-if="story.plate"> · plate {{ plateName(s.shot, story.plate) }}</template>
        <span v-if="story.stretch !== null" class="figure">
          · Stretch {{ story.stretch!.toFixed(3) }} : 1 · Magnification {{ story.magnification!.toFixed(3) }} px per
          px</span
        >
        <span v-if="story.depth_m !== null" class="figure"> · Depth {{ story.depth_m!.toFixed(2) }} m</span>
        <span v-if="told" class="quiet">&ensp;· {{ told }}</span>
      </div>
      <Feels />
      <Ends v-if="ends && cameras.length" @picked="ends = false" />
      <p v-if="loading" class="note">Getting the plates…</p>
      <p v-if="leftOut" class="left-out" role="status">{{ leftOut }}</p>
      <div class="corner" @pointerdown.stop>
        <ElCheckbox v-model="overlay" title="V" data-overlay>Verdicts</ElCheckbox>
        <ElCheckbox v-model="giving" title="Which plate gives each pixel" data-giving>Plates</ElCheckbox>
        <ElCheckbox v-model="wire">Wireframe</ElCheckbox>
        <ElCheckbox v-model="ends" data-ends>First and last</ElCheckbox>
      </div>
    </div>
    <Divider v-if="shown === 'both'" v-model="split.share.value" :beside="split.beside.value" />
    <div v-show="shown !== 'lens'" class="planhost">
      <MovePlan
        :shapes="s.state!.shapes"
        :grounds="s.grounds"
        :photos="s.shot.photos"
        :path="cameras"
        :keys="planKeys"
        :now="at"
        @drag-key="dragKey"
        @drag-now="dragNow"
        @pick-key="(frame: number) => (s.frame = frame)"
        @drop="putBack"
      />
    </div>
    <div class="switch" role="group" aria-label="Views">
      <ElButton :class="{ on: shown === 'lens' }" @click="shown = 'lens'">Lens</ElButton
      ><ElButton :class="{ on: shown === 'both' }" @click="shown = 'both'">Both</ElButton
      ><ElButton :class="{ on: shown === 'plan' }" @click="shown = 'plan'">Plan</ElButton>
    </div>
  </div>
</template>

<style scoped>
.views {
  position: absolute;
  inset: 0;
  display: grid;
}
.lens {
  position: relative;
  overflow: hidden;
  touch-action: none;
  cursor: move;
  min-width: 0;
  min-height: 0;
}
.lens:focus:not(:focus-visible) {
  outline: none;
}
.planhost {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
.sheet {
  position: absolute;
  background: #000;
}
.sheet canvas,
.sheet svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.corner {
  position: absolute;
  left: 10px;
  top: 10px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 4px 9px;
  display: flex;
  gap: 12px;
  cursor: default;
}
.story {
  position: absolute;
  left: 10px;
  right: 10px;
  bottom: 10px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 5px 10px;
  pointer-events: none;
}
.story.up {
  bottom: auto;
  top: 46px;
}
.note {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  color: #fff;
  pointer-events: none;
}
.switch {
  position: absolute;
  right: 10px;
  bottom: 10px;
  display: flex;
}
.switch button {
  background: var(--paper);
  margin-left: -1px;
  padding: 5px 8px;
}
.switch button.on {
  background: var(--ink);
}
</style>
