<script setup lang="ts">
/** Plates where they lie: outlined by points, worked on by the open step, looked at over what shows their edges. */
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { lookOf, type Vec2 } from '../../api/client'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { near } from '../../board/lines'
import { useShot } from '../../state/shot'
import { giveUpGesture } from '../../hand/gesture'
import { useKeys } from '../../hand/keys'
import { drawing, feather, loopOf } from './outline'
import {
  addStep,
  brush,
  changeStep,
  fresh,
  openStep,
  reach as reachOf,
  settingSource,
  upToHere,
  view,
  type Step,
} from './steps'
import InSet from './InSet.vue'
import { useOutlineHand } from './useOutlineHand'
import { useStepHand } from './useStepHand'

const s = useShot()
const router = useRouter()
const board = ref<{ pan: PanZoom }>()
const hover = ref<Vec2 | null>(null)
const photo = computed(() =>
  s.plate ? (s.shot.photos.find((p) => p.id === s.plate!.photo) ?? s.photo) : (s.homePhoto ?? s.photo),
)
const src = computed(() =>
  photo.value ? `/api/shots/${s.id}/photos/${photo.value.id}/picture?width=3072&straight=true` : null,
)
const shown = computed(() => (s.plate && (s.plate.role !== 'photo' || s.plate.steps.length) ? s.plate : null))
const of = computed(() => (shown.value && s.state?.pictures[shown.value.id]) ?? '')
const hand = useStepHand(s)
const { stroke, draws, picks, marked } = hand
const until = computed(() => (upToHere.value && hand.step.value ? hand.step.value.id : null))
const look = computed(() =>
  shown.value ? lookOf(s.id, shown.value.id, view.value === 'matte' ? 'matte' : 'plate', of.value, until.value) : null,
)
/** The picture is being worked out; it could not be. */
const busy = ref(false)
const wrong = ref(false)
watch(look, () => ((busy.value = true), (wrong.value = false)), { immediate: true })
const VIEWS = [
  ['photo', 'On the photo', 'q'],
  ['grey', 'On grey', 'g'],
  ['black', 'On black', 'b'],
  ['white', 'On white', 'w'],
  ['matte', 'Matte', 'm'],
] as const
const reach = () => 9 / (board.value?.pan.at.scale ?? 1)
const outline = useOutlineHand(s, shown, hover, reach)
const { grip } = outline
// over what shows its edges a line stands in the way, unless it is being worked on
const lined = computed(
  () =>
    !drawing.value && (!!grip.value || (hand.step.value ? hand.step.value.do === 'outline' : view.value === 'photo')),
)
/** The lines on the board, and the points of them that can be taken hold of. */
const lines = computed<Vec2[][]>(() => (drawing.value ? [drawing.value] : lined.value ? outline.curves.value : []))
const points = computed<Vec2[]>(() => drawing.value ?? (lined.value ? outline.points.value : []))
const box = computed(() => (shown.value ? reachOf(shown.value) : null))

function down(p: Vec2, event: PointerEvent) {
  if (drawing.value) {
    if (drawing.value.length >= 3 && near(p, drawing.value[0]) < reach()) return void close()
    pressed = true
    drawing.value = [...drawing.value, p]
    return
  }
  if (hand.down(p, event.shiftKey)) return
  if (lined.value && event.shiftKey) outline.soften()
  else if (lined.value) outline.down(p)
}
let pressed = false
function move(p: Vec2) {
  hover.value = p
  hand.move(p)
  outline.move(p)
}
function up() {
  if (stroke.value) return void hand.up()
  pressed = false
  outline.up()
}
/** The press is given up: its point goes, those set before stay. */
function drop() {
  if (pressed && drawing.value) drawing.value = drawing.value.slice(0, -1)
  pressed = false
  outline.drop()
  hand.drop()
}
/** A double click: closes what is drawn; on the line of the outline it puts a point in. */
function twice(p: Vec2) {
  if (drawing.value) return void close()
  if (lined.value && !draws.value && !picks.value) outline.put(p)
}
watch(
  () => s.shot.plates.some((p) => p.id === grip.value?.plate),
  (there) => {
    if (there || !grip.value) return
    giveUpGesture()
    s.problem = 'The plate whose outline you took hold of has been removed elsewhere.'
  },
)
/** Make a plate of what is drawn. It is sent once; refused, it is there again to be mended. */
async function close() {
  const drawn = drawing.value
  if (!drawn || drawn.length < 3) return
  drawing.value = null
  pressed = false
  const before = new Set(s.shot.plates.map((p) => p.id))
  if (loopOf.value !== null && s.plate) return void closeInto(drawn)
  const given = { photo: photo.value!.id, outline: { points: drawn, feather_px: feather.value } }
  const chosen = s.plateId
  if (await s.change('POST', '/plates', given)) {
    const made = s.shot.plates.find((p) => !before.has(p.id))?.id ?? null
    if (s.plateId === chosen && !drawing.value) s.plateId = made // unless the hand has gone on
  } else drawing.value ??= drawn
}
/** What is drawn becomes a loop of an outline step, or a step of its own. */
async function closeInto(drawn: Vec2[]) {
  const plate = s.plate!
  const old = plate.steps.find((x) => x.id === loopOf.value)
  loopOf.value = null
  const loop = { points: drawn, smooth: false }
  if (old?.do === 'outline') return void changeStep(s, plate.id, { ...old, loops: [...old.loops, loop] } as Step)
  const base = fresh('grow', s.shot, plate)!
  openStep.value = base.id
  const step = { id: base.id, name: null, off: false, do: 'outline', mode: 'add', loops: [loop] } as const
  if (!(await addStep(s, plate.id, { ...step, loops: [loop], feather_px: feather.value }))) drawing.value ??= drawn
}
const resize = (by: number) => (brush.value.radius = Math.min(2000, Math.max(1, Math.round(brush.value.radius * by))))
const harden = (by: number) => (brush.value.hardness = Math.min(1, Math.max(0, brush.value.hardness + by)))
useKeys('plates', {
  smaller: () => resize(1 / 1.2),
  larger: () => resize(1.2),
  softer: () => harden(-0.1),
  harder: () => harden(0.1),
  onPhoto: () => (view.value = 'photo'),
  onGrey: () => (view.value = 'grey'),
  onBlack: () => (view.value = 'black'),
  onWhite: () => (view.value = 'white'),
  matte: () => (view.value = 'matte'),
  point: () => lined.value && outline.take(),
  smooth: () => lined.value && outline.soften(),
  close: () => void close(),
  back: () => {
    if (drawing.value?.length) drawing.value = drawing.value.slice(0, -1)
  },
  giveUp: () => {
    drawing.value = null
    settingSource.value = false
    if (openStep.value === 'colour') openStep.value = null
  },
})
const path = (list: Vec2[], to: (p: Vec2) => Vec2, shut: boolean) =>
  list.length
    ? 'M' +
      list
        .map((p) =>
          to(p)
            .map((v) => v.toFixed(1))
            .join(' '),
        )
        .join('L') +
      (shut ? 'Z' : '')
    : ''
const drawn = (pan: PanZoom) =>
  drawing.value
    ? path(hover.value ? [...drawing.value, hover.value] : drawing.value, pan.toScreen, false)
    : lines.value.map((loop) => path(loop, pan.toScreen, true)).join('')
const wide = (pan: PanZoom) => ({ strokeWidth: `${2 * brush.value.radius * pan.at.scale}px` })
/** Where the brush takes from. */
const ghost = computed(() => (marked.value && !stroke.value ? marked.value : hover.value && hand.source(hover.value)))
const canvasStyle = computed(() =>
  box.value
    ? { left: `${box.value[0]}px`, top: `${box.value[1]}px`, width: `${box.value[2]}px`, height: `${box.value[3]}px` }
    : {},
)
</script>

<template>
  <div v-if="!photo" class="empty">
    <p>The photo is the first plate.</p>
    <ElButton class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</ElButton>
  </div>
  <template v-else>
    <PictureBoard
      ref="board"
      :src="src"
      :width="photo.width!"
      :height="photo.height!"
      :opacity="shown && view !== 'photo' ? 0 : 1"
      :loupe="!!drawing || !!grip"
      :cursor="drawing || draws || picks ? 'crosshair' : 'default'"
      label="Plates"
      @down="down"
      @move="move"
      @up="up"
      @drop="drop"
      @rest="hover = null"
      @twice="twice"
    >
      <template #under>
        <div v-if="shown && (!drawing || s.plate)" class="plate" :class="view" :style="canvasStyle" data-shown>
          <img
            :src="look!"
            alt=""
            draggable="false"
            :data-look="busy ? 'busy' : wrong ? 'wrong' : 'there'"
            @load="((busy = false), (wrong = false))"
            @error="((busy = false), (wrong = true))"
          />
        </div>
      </template>
      <template #default="{ pan }">
        <path v-if="lines.length" class="halo" :d="drawn(pan)" />
        <path v-if="lines.length" class="outline" :d="drawn(pan)" data-outline />
        <circle
          v-for="(p, i) in points"
          :key="i"
          :cx="pan.toScreen(p)[0]"
          :cy="pan.toScreen(p)[1]"
          :r="drawing && i === 0 ? 6 : 3.2"
          class="point"
          :class="{ soft: !drawing && outline.isSoft(p) }"
        />
        <path v-if="stroke" class="stroke" :d="path(stroke, pan.toScreen, false)" :style="wide(pan)" />
        <g v-if="draws && hover && !drawing" class="brush">
          <circle
            :cx="pan.toScreen(hover)[0]"
            :cy="pan.toScreen(hover)[1]"
            :r="brush.radius * pan.at.scale"
            data-brush
          />
          <circle
            v-if="ghost"
            class="ghost"
            :cx="pan.toScreen(ghost)[0]"
            :cy="pan.toScreen(ghost)[1]"
            :r="brush.radius * pan.at.scale"
          />
        </g>
      </template>
    </PictureBoard>
    <p v-if="drawing" class="first" role="status">
      Click around what stands in front; Enter, or a click on the first point, closes the outline.
    </p>
    <p v-else-if="!s.shot.plates.some((p) => p.role !== 'photo')" class="first">
      The photo is the first plate. Outline what stands in front to take it off.
      <ElButton class="main" @click="drawing = []">Outline</ElButton>
    </p>
    <InSet
      v-if="s.plate && s.shot.solids.length && !drawing"
      :plate="s.plate.id"
      :left="!!box && box[0] + box[2] / 2 > photo.width! / 2"
    />
    <p v-if="shown && busy" class="working" role="status">Working it out …</p>
    <div v-if="shown && !drawing" class="switch views" role="group" aria-label="How the plate is shown">
      <ElButton
        v-for="[v, label, key] in VIEWS"
        :key="v"
        :class="{ on: view === v }"
        :aria-pressed="view === v"
        :title="`Key ${key.toUpperCase()}`"
        @click="view = v"
        >{{ label }}</ElButton
      >
    </div>
  </template>
</template>

<style scoped>
.plate {
  position: absolute;
  pointer-events: none;
}
.plate.grey {
  background: #777;
}
.plate.black,
.plate.matte {
  background: #000;
}
.plate.white {
  background: #fff;
}
.stroke {
  fill: none;
  stroke: rgb(181 67 42 / 45%);
  stroke-linecap: round;
  stroke-linejoin: round;
}
.brush circle {
  fill: none;
  stroke: #fff;
  stroke-width: 1.4;
  paint-order: stroke;
  filter: drop-shadow(0 0 1px #000);
}
.brush .ghost {
  stroke-dasharray: 4 3;
}
.plate img {
  width: 100%;
  height: 100%;
  display: block;
}
.halo {
  fill: rgb(181 67 42 / 8%);
  stroke: rgb(255 255 255 / 75%);
  stroke-width: 3.4;
}
.outline {
  fill: none;
  stroke: var(--action);
  stroke-width: 1.6;
}
.point {
  fill: #fff;
  stroke: var(--action);
  stroke-width: 1.2;
}
.point.soft {
  fill: var(--confirm);
  stroke: #fff;
}
.first {
  position: absolute;
  left: 50%;
  bottom: 16px;
  transform: translateX(-50%);
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 8px 14px;
  display: flex;
  gap: 12px;
  align-items: center;
  white-space: nowrap;
}
.working {
  position: absolute;
  left: 10px;
  top: 10px;
  margin: 0;
  padding: 5px 9px;
  background: var(--paper);
  border: 1px solid var(--ink);
}
.views {
  position: absolute;
  right: 10px;
  top: 10px;
  display: flex;
}
.views button {
  background: var(--paper);
  margin-left: -1px;
  padding: 5px 8px;
}
.views button.on {
  background: var(--ink);
}
</style>
