<script setup lang="ts">
/** Outline a foreground piece by points; look at plates where they lie. */
import { useEventListener } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { textureOf, type Vec2 } from '../../api/client'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { useShot } from '../../state/shot'
import { drawing, feather } from './outline'

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
const grip = ref<{ index: number; at: Vec2 } | null>(null)
const points = computed<Vec2[]>(() => {
  if (drawing.value) return drawing.value
  const list = (shown.value?.outline?.points ?? []) as Vec2[]
  return grip.value ? list.map((p, i) => (i === grip.value!.index ? grip.value!.at : p)) : list
})
const box = computed(() => (shown.value ? shown.value.canvas : null))

const reach = () => 9 / board.value!.pan.at.scale
const apart = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1])
function down(p: Vec2) {
  if (drawing.value) {
    if (drawing.value.length >= 3 && apart(p, drawing.value[0]) < reach()) return void close()
    drawing.value = [...drawing.value, p]
    return
  }
  const index = points.value.findIndex((q) => apart(p, q) < reach())
  if (index >= 0 && shown.value?.outline) grip.value = { index, at: p }
}
function move(p: Vec2) {
  hover.value = p
  if (grip.value) grip.value = { ...grip.value, at: p }
}
async function up() {
  if (!grip.value || !shown.value?.outline) return
  const outline = { points: points.value, feather_px: shown.value.outline.feather_px }
  const moved = JSON.stringify(outline.points) !== JSON.stringify(shown.value.outline.points)
  if (moved) await s.change('PUT', `/plates/${shown.value.id}`, { outline })
  grip.value = null
}
async function close() {
  if (!drawing.value || drawing.value.length < 3) return
  const before = new Set(s.shot.plates.map((p) => p.id))
  const outline = { points: drawing.value, feather_px: feather.value }
  if (await s.change('POST', '/plates', { photo: photo.value!.id, outline })) {
    drawing.value = null
    s.plateId = s.shot.plates.find((p) => !before.has(p.id))?.id ?? null
  }
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (['INPUT', 'SELECT', 'TEXTAREA'].includes((event.target as HTMLElement).tagName)) return
  if (event.key === 'Enter') void close()
  else if (event.key === 'Escape') drawing.value = null
  else if (event.key === 'Backspace' && drawing.value?.length) drawing.value = drawing.value.slice(0, -1)
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
    <button class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</button>
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
      <button class="main" @click="drawing = []">Outline</button>
    </p>
    <label v-if="shown && !drawing" class="alone"><input v-model="alone" type="checkbox" /> This plate alone</label>
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
