<script setup lang="ts">
/** A face of the set, squared up, as the chosen plate shows it: drawn on as on the photo, and measured. */
import { ElButton } from 'element-plus'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, got, type Plate, type Vec2 } from '../../api/client'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { useKeys } from '../../hand/keys'
import { surfaceName } from '../../state/names'
import { useShot } from '../../state/shot'
import { marks, straightened, type FacePlane } from './plane'
import { brush, straightFace } from './steps'
import { useStepHand } from './useStepHand'

const WIDTH = 1600 // pixels
const APART = 56 // pixels between marks of the ruler, at least

const props = defineProps<{ plate: Plate }>()
const s = useShot()
const plane = shallowRef<FacePlane | null>(null)
const wrong = ref<string | null>(null)
const hand = useStepHand(s)
const { stroke, draws, picks } = hand
const hover = ref<Vec2 | null>(null)
/** Whether a drag measures; where it went. */
const measuring = ref(false)
const tape = shallowRef<[Vec2, Vec2] | null>(null)
const face = computed(() => (plane.value ? straightened(plane.value, WIDTH) : null))
const query = computed(() => `face=${encodeURIComponent(straightFace.value)}`)
const src = computed(() => {
  const of = s.state?.pictures[props.plate.id] ?? ''
  return plane.value
    ? `/api/shots/${s.id}/plates/${props.plate.id}/straight?${query.value}&width=${WIDTH}&of=${of}`
    : null
})
watch(
  () => [straightFace.value, props.plate.id, props.plate.canvas.join(), JSON.stringify(s.state?.shapes ?? null)],
  async () => {
    const path = { shot_id: s.id, plate_id: props.plate.id }
    const wanted = { params: { path, query: { face: straightFace.value } } }
    wrong.value = null
    plane.value = await got<FacePlane>(api.GET('/api/shots/{shot_id}/plates/{plate_id}/plane', wanted)).catch(
      (error: Error) => ((wrong.value = error.message), null),
    )
  },
  { immediate: true },
)
/** Pixels of this picture that the brush's radius has at a place: as large on the face as it is on the photo there. */
function radiusAt(p: Vec2): number {
  const f = face.value!
  const [x, y] = f.toPhoto(p)
  const [a, b] = [f.fromPhoto([x + 1, y]), f.fromPhoto([x, y])]
  return brush.value.radius * Math.hypot(a[0] - b[0], a[1] - b[1])
}
let pressed = false
function down(p: Vec2, event: PointerEvent) {
  pressed = true
  if (measuring.value) tape.value = [p, p]
  else if (face.value) hand.down(face.value.toPhoto(p), event.shiftKey)
}
function move(p: Vec2) {
  hover.value = p
  if (pressed && measuring.value && tape.value) tape.value = [tape.value[0], p]
  else if (face.value) hand.move(face.value.toPhoto(p))
}
function up() {
  pressed = false
  if (stroke.value) void hand.up()
}
function drop() {
  pressed = false
  tape.value = null
  hand.drop()
}
useKeys('plates', { giveUp: () => ((measuring.value = false), (tape.value = null)) })
const long = computed(() => {
  if (!tape.value || !face.value) return 0
  const [[a, b], [c, d]] = tape.value.map(face.value.metres)
  return Math.hypot(c - a, d - b)
})
const drawn = computed(() => (stroke.value && face.value ? stroke.value.map(face.value.fromPhoto) : null))
/** The ruler along the lower and the left border of the view. */
function ruler(pan: PanZoom) {
  const f = face.value!
  const k = f.perMetre * pan.at.scale
  const low = f.metres(pan.toPicture([0, pan.height.value]))
  const high = f.metres(pan.toPicture([pan.width.value, 0]))
  const to = (m: Vec2) => pan.toScreen(f.picture(m))
  return {
    level: marks(low[0], high[0], APART / k).map((m) => ({ ...m, x: to([m.at, 0])[0] })),
    upright: marks(low[1], high[1], APART / k).map((m) => ({ ...m, y: to([0, m.at])[1] })),
  }
}
</script>

<template>
  <section class="straight" aria-label="Squared up" data-straight>
    <p v-if="wrong" class="note" role="alert">{{ wrong }}</p>
    <PictureBoard
      v-if="face"
      :src="src"
      :width="face.width"
      :height="face.height"
      :cursor="measuring || draws || picks ? 'crosshair' : 'default'"
      label="Squared up"
      @down="down"
      @move="move"
      @up="up"
      @drop="drop"
      @rest="hover = null"
    >
      <template #default="{ pan }">
        <path
          v-if="drawn"
          class="stroke"
          :d="'M' + drawn.map((p) => pan.toScreen(p).join(' ')).join('L')"
          :style="{ strokeWidth: `${2 * radiusAt(drawn[0]) * pan.at.scale}px` }"
        />
        <circle
          v-if="draws && hover && !measuring"
          class="brush"
          :cx="pan.toScreen(hover)[0]"
          :cy="pan.toScreen(hover)[1]"
          :r="radiusAt(hover) * pan.at.scale"
        />
        <g v-if="tape" class="tape" data-straight-tape>
          <line
            :x1="pan.toScreen(tape[0])[0]"
            :y1="pan.toScreen(tape[0])[1]"
            :x2="pan.toScreen(tape[1])[0]"
            :y2="pan.toScreen(tape[1])[1]"
          />
          <text :x="pan.toScreen(tape[1])[0] + 8" :y="pan.toScreen(tape[1])[1] - 8">{{ long.toFixed(3) }} m</text>
        </g>
        <g class="ruler" data-ruler>
          <rect x="0" :y="pan.height.value - 18" :width="pan.width.value" height="18" />
          <rect x="0" y="0" width="34" :height="pan.height.value" />
          <g v-for="m in ruler(pan).level" :key="`x${m.label}`">
            <line :x1="m.x" :x2="m.x" :y1="pan.height.value - 18" :y2="pan.height.value - 12" />
            <text :x="m.x + 3" :y="pan.height.value - 5">{{ m.label }}</text>
          </g>
          <g v-for="m in ruler(pan).upright" :key="`y${m.label}`">
            <line x1="28" x2="34" :y1="m.y" :y2="m.y" />
            <text x="3" :y="m.y + 4">{{ m.label }}</text>
          </g>
          <text class="unit" x="3" :y="pan.height.value - 5">m</text>
        </g>
      </template>
    </PictureBoard>
    <header>
      <span>{{ surfaceName(s.shot, straightFace) }}</span>
      <ElButton :class="{ on: measuring }" data-straight-measure @click="((measuring = !measuring), (tape = null))">
        Measure
      </ElButton>
      <ElButton @click="straightFace = ''">Close</ElButton>
    </header>
  </section>
</template>

<style scoped>
.straight {
  position: absolute;
  inset: 0;
  background: #77776f;
}
header {
  position: absolute;
  right: 10px;
  top: 10px;
  display: flex;
  background: var(--paper);
  border: 1px solid var(--ink);
}
header span {
  padding: 5px 10px;
}
header button {
  border-width: 0 0 0 1px;
  padding: 5px 9px;
}
header .on {
  background: var(--ink);
}
.note {
  position: absolute;
  left: 10px;
  top: 10px;
  margin: 0;
  padding: 6px 10px;
  background: var(--paper);
  border: 1px solid var(--ink);
}
.ruler rect {
  fill: rgb(238 236 230 / 88%);
}
.ruler line {
  stroke: var(--ink);
}
.ruler text,
.tape text {
  font: 11px var(--figure);
  fill: var(--ink);
}
.ruler .unit {
  font-weight: 700;
}
.tape line {
  stroke: var(--action);
  stroke-width: 2;
}
.tape text {
  font-size: 13px;
  paint-order: stroke;
  stroke: #fff;
  stroke-width: 3px;
}
.stroke {
  fill: none;
  stroke: rgb(181 67 42 / 45%);
  stroke-linecap: round;
  stroke-linejoin: round;
}
.brush {
  fill: none;
  stroke: #fff;
  stroke-width: 1.4;
  filter: drop-shadow(0 0 1px #000);
}
</style>
