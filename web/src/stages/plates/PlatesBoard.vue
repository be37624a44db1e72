<script setup lang="ts">
/** Outline a foreground piece by points; look at plates where they lie. */
import { ElButton, ElCheckbox } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { textureOf, type Vec2 } from '../../api/client'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { useShot } from '../../state/shot'
import { giveUpGesture } from '../../hand/gesture'
import { useKeys } from '../../hand/keys'
import { drawing, feather, setOutline } from './outline'

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
const shown = computed(() => (s.plate && s.plate.role !== 'photo' ? s.plate : null))
const alone = ref(false)
/** A point of an outline in hand, and the outline as it was when it was taken. */
const grip = ref<{ plate: string; index: number; at: Vec2; points: Vec2[]; feather: number } | null>(null)
const moved = (g: { index: number; at: Vec2; points: Vec2[] }) => g.points.map((p, i) => (i === g.index ? g.at : p))
const points = computed<Vec2[]>(() => {
  if (drawing.value) return drawing.value
  if (grip.value) return moved(grip.value)
  return (shown.value?.outline?.points ?? []) as Vec2[]
})
const box = computed(() => (shown.value ? shown.value.canvas : null))

const reach = () => 9 / board.value!.pan.at.scale
const apart = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1])
function down(p: Vec2) {
  if (drawing.value) {
    if (drawing.value.length >= 3 && apart(p, drawing.value[0]) < reach()) return void close()
    pressed = true
    drawing.value = [...drawing.value, p]
    return
  }
  const outline = shown.value?.outline
  if (!outline) return
  const list = outline.points as Vec2[]
  const index = list.findIndex((q) => apart(p, q) < reach())
  if (index >= 0) grip.value = { plate: shown.value!.id, index, at: p, points: list, feather: outline.feather_px }
}
let pressed = false
function move(p: Vec2) {
  hover.value = p
  if (grip.value) grip.value = { ...grip.value, at: p }
}
function up() {
  const g = grip.value
  grip.value = null
  pressed = false
  if (!g || apart(g.at, g.points[g.index]) < reach() / 9) return
  void setOutline(s, g.plate, { points: moved(g), feather_px: g.feather })
}
/** The press is given up: its point goes, those set before stay. */
function drop() {
  if (pressed && drawing.value) drawing.value = drawing.value.slice(0, -1)
  pressed = false
  grip.value = null
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
  const outline = { points: drawn, feather_px: feather.value }
  const chosen = s.plateId
  if (await s.change('POST', '/plates', { photo: photo.value!.id, outline })) {
    const made = s.shot.plates.find((p) => !before.has(p.id))?.id ?? null
    if (s.plateId === chosen && !drawing.value) s.plateId = made // unless the hand has gone on
  } else drawing.value ??= drawn
}
useKeys('plates', {
  close: () => void close(),
  back: () => {
    if (drawing.value?.length) drawing.value = drawing.value.slice(0, -1)
  },
  giveUp: () => (drawing.value = null),
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
      :opacity="shown && alone ? 0 : 1"
      :loupe="!!drawing || !!grip"
      :cursor="drawing ? 'crosshair' : 'default'"
      label="Plates"
      @down="down"
      @move="move"
      @up="up"
      @drop="drop"
      @rest="hover = null"
      @twice="close"
    >
      <template #under>
        <div v-if="shown && !drawing" class="plate" :class="{ alone }" :style="canvasStyle">
          <img :key="`${shown.file}${shown.matte}`" :src="textureOf(s.id, shown, 3072)" alt="" draggable="false" />
        </div>
      </template>
      <template #default="{ pan }">
        <path
          v-if="points.length"
          class="halo"
          :d="path(drawing && hover ? [...points, hover] : points, pan.toScreen, !drawing)"
        />
        <path
          v-if="points.length"
          class="outline"
          :d="path(drawing && hover ? [...points, hover] : points, pan.toScreen, !drawing)"
          data-outline
        />
        <circle
          v-for="(p, i) in points"
          :key="i"
          :cx="pan.toScreen(p)[0]"
          :cy="pan.toScreen(p)[1]"
          :r="drawing && i === 0 ? 6 : 3.2"
          class="point"
        />
      </template>
    </PictureBoard>
    <p v-if="drawing" class="first" role="status">
      Click around what stands in front; Enter, or a click on the first point, closes the outline.
    </p>
    <p v-else-if="!s.shot.plates.some((p) => p.role !== 'photo')" class="first">
      The photo is the first plate. Outline what stands in front to take it off.
      <ElButton class="main" @click="drawing = []">Outline</ElButton>
    </p>
    <ElCheckbox v-if="shown && !drawing" v-model="alone" class="alone">This plate alone</ElCheckbox>
  </template>
</template>

<style scoped>
.plate {
  position: absolute;
  pointer-events: none;
}
.plate.alone {
  background: repeating-conic-gradient(#8a8a8a 0 25%, #6c6c6c 0 50%) 0 0 / 60px 60px;
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
.alone {
  position: absolute;
  right: 10px;
  top: 10px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 5px 9px;
}
</style>
