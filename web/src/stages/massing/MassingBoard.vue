<script setup lang="ts">
/** Draw geometry through the photo; plan view or orbit beside it. */
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { type Shape, type Vec2, type Vec3 } from '../../api/client'
import { groundGrid, viewOf } from '../../board/camera'
import Divider from '../../board/Divider.vue'
import OrbitBoard from '../../board/OrbitBoard.vue'
import PictureBoard from '../../board/PictureBoard.vue'
import PlanBoard from '../../board/PlanBoard.vue'
import { useSplit } from '../../board/useSplit'
import type { PanZoom } from '../../board/usePanZoom'
import Wire from '../../board/Wire.vue'
import { useKeys } from '../../hand/keys'
import { useBeginning } from '../photo/beginning'
import { useShot } from '../../state/shot'
import { useDrawing } from './drawing'
import { useDepth } from './depth'
import { useEditing } from './editing'
import { useInPlan } from './inPlan'
import LookSheet from './LookSheet.vue'
import BuildTools from './BuildTools.vue'
import { flatPlate, looks, tool, TOOLS, useChosen, view as shown, type Tool } from './tools'
import ViewsBar from './ViewsBar.vue'

const s = useShot()
const router = useRouter()
const { assume, under } = useBeginning()
const board = ref<{ pan: PanZoom }>()
const pair = ref<HTMLElement>()
const split = useSplit(pair, () => shown.value === 'both')
const surveyed = computed(() => s.shot.photos.filter((p) => p.camera?.position))
const photo = computed(() => surveyed.value.find((p) => p.id === s.photoId) ?? surveyed.value[0] ?? s.homePhoto)
const camera = computed(() => photo.value?.camera ?? null)
const view = computed(() => (camera.value ? viewOf(camera.value) : null))
const src = computed(() =>
  photo.value ? `/api/shots/${s.id}/photos/${photo.value.id}/picture?width=3072&straight=true` : null,
)
const scale = () => board.value?.pan.at.scale ?? 1
const grid = computed(() => (looks.grid && view.value ? groundGrid(view.value, 1) : []))
const { chosen, choose, chooseMade } = useChosen()
const {
  points,
  pulling,
  drafts,
  size,
  touched,
  told,
  hint,
  down: drawDown,
  move: drawMove,
  up: drawUp,
  drop: dropDrawn,
  close,
  giveUp: stopDrawing,
  direct,
} = useDrawing(photo, scale)
const {
  handles,
  held,
  face,
  pulled,
  take,
  takeFace,
  move: editMove,
  up: editUp,
  giveUp: stopEditing,
} = useEditing(photo, view, scale)
const { depthHere, lookDeep } = useDepth(photo)
const { loose, planCorner, tryCorner, shift, dragCorner } = useInPlan(pulled)

const shapes = computed<Shape[]>(() => {
  const kept = s
    .state!.shapes.filter((x) => !x.hidden)
    .map((x) => {
      if (pulled.value && x.id === pulled.value.id) return pulled.value
      if (loose.value && chosen.value.includes(x.id))
        return { ...x, vertices: x.vertices.map((v) => [v[0] + loose.value![0], v[1], v[2] + loose.value![1]] as Vec3) }
      return x
    })
  return [
    ...kept.filter((x) => !drafts.value.some((d) => d.id === x.id)),
    ...drafts.value.map((d) => ({ ...d, id: '·' })),
  ]
})
const also = computed(() => chosen.value.filter((id) => id !== s.solidId))

let pressed: { p: Vec2; more: boolean; hit: Promise<string | null> | null } | null = null
function down(p: Vec2, event: PointerEvent) {
  if (tool.value !== 'choose') return drawDown(p, event)
  const reach = 10 / scale()
  const near = handles.value.filter((h) => Math.hypot(h.p[0] - p[0], h.p[1] - p[1]) < reach)
  near.sort(
    (a, b) =>
      Number(!!a.side) - Number(!!b.side) ||
      Math.hypot(a.p[0] - p[0], a.p[1] - p[1]) - Math.hypot(b.p[0] - p[0], b.p[1] - p[1]),
  )
  if (near.length && !event.shiftKey) return take(near[0], p)
  pressed = { p, more: event.shiftKey, hit: takeFace(p) }
}
function move(p: Vec2, event: PointerEvent) {
  if (tool.value !== 'choose') return drawMove(p, event)
  editMove(p)
}
async function up(p: Vec2, event: PointerEvent) {
  if (tool.value !== 'choose') return drawUp(p, event)
  const click = pressed
  pressed = null
  const dragged = face.value?.moving || held.value?.axis
  await editUp(p)
  if (!click || dragged || Math.hypot(p[0] - click.p[0], p[1] - click.p[1]) * scale() > 5) return
  const hit = wired ?? (await click.hit)
  wired = null
  choose(hit, click.more)
  stopEditing()
}
/** What was pressed is given up; what has been clicked before, as an outline's corners, stays. */
function drop() {
  pressed = null
  wired = null
  loose.value = null
  planCorner.value = null
  tryCorner.drop()
  dropDrawn()
  stopEditing()
}
/** A line that was clicked goes before the face behind it. */
let wired: string | null = null
function wire(id: string) {
  if (tool.value === 'choose' && id !== '·') wired = id
}
function takeTool(t: Tool) {
  stopDrawing()
  stopEditing()
  if (t === 'ground' || t === 'backdrop') return void direct(t)
  tool.value = t
  touched.value = null
  if (shown.value === 'plan' || shown.value === 'orbit') shown.value = 'lens'
  if (t === 'flat' && !foregrounds.value.some((p) => p.id === flatPlate.value))
    flatPlate.value = foregrounds.value[0]?.id ?? null
}
const foregrounds = computed(() => s.shot.plates.filter((p) => ['foreground', 'added'].includes(p.role)))
watch(
  () => photo.value?.id,
  () => {
    stopDrawing()
    stopEditing()
  },
)

useKeys(
  'massing',
  {
    copy: () => {
      if (!chosen.value.length) return
      void chooseMade(s.build('/arrange', { op: 'repeat', ids: chosen.value, step: [1, 0, 0], times: 1 }))
    },
    giveUp: () => {
      stopDrawing()
      stopEditing()
      tool.value = 'choose'
    },
    close,
    remove: () => {
      const ids = chosen.value
      if (!ids.length) return
      choose(null)
      void s.build('/arrange', { op: 'remove', ids })
    },
  },
  () => TOOLS.map((t) => ({ key: { key: t.key.toLowerCase(), says: t.name }, act: () => takeTool(t.id) })),
)

function hover(p: Vec2, event: PointerEvent) {
  lookDeep(p)
  move(p, event)
}
const snapped = computed(() => (tool.value !== 'choose' && !pulling.value && touched.value?.to ? touched.value : null))
</script>

<template>
  <div v-if="!camera?.position" class="empty">
    <template v-if="s.photo">
      <p v-if="camera">The survey has no scale yet. Lay a tape on Survey, or assume an eye height of 1.6 m.</p>
      <p v-else>
        Massing needs a surveyed photo. Roof Line can assume what the edges do not tell: a 35 mm lens, an eye height of
        1.6 m.
      </p>
      <ElButton class="main" :disabled="!!under" data-assume-scale @click="assume">
        {{ under ? 'At work…' : camera ? 'Assume 1.6 m' : 'Assume a camera' }}
      </ElButton>
      <ElButton @click="router.push(`/shot/${s.id}/survey`)">Go to Survey</ElButton>
    </template>
    <template v-else>
      <p>Massing needs a surveyed photo. Bring a photo first.</p>
      <ElButton class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</ElButton>
    </template>
  </div>
  <div v-else class="views" :class="`show-${shown}`">
    <div ref="pair" class="pair" :style="split.style.value">
      <div v-show="shown === 'lens' || shown === 'both'" class="lens">
        <PictureBoard
          ref="board"
          :src="src"
          :width="camera.width"
          :height="camera.height"
          :opacity="
            looks.how === 'wire' || looks.how === 'cover' ? looks.opacity : looks.how === 'shaded' ? looks.opacity : 0
          "
          :loupe="tool !== 'choose'"
          :cursor="tool === 'choose' ? 'default' : 'crosshair'"
          label="Lens view"
          @down="down"
          @move="hover"
          @up="up"
          @drop="drop"
          @twice="close"
        >
          <template #under
            ><LookSheet v-if="looks.how !== 'wire'" :state="s.state!" :photo="photo!.id" :camera="camera"
          /></template>
          <template #default="{ pan }">
            <path
              v-if="grid.length"
              class="ground"
              :d="grid.map((l) => `M${pan.toScreen(l[0]).join(' ')}L${pan.toScreen(l[1]).join(' ')}`).join('')"
            />
            <Wire
              :shapes="shapes"
              :view="view!"
              :to-screen="pan.toScreen"
              :chosen="drafts.length ? '·' : s.solidId"
              :also="also"
              :faint="looks.how !== 'wire'"
              :scale="pan.at.scale"
              :tick="`${pan.at.x},${pan.at.y}`"
              @choose="wire"
            />
            <g v-if="tool === 'choose'">
              <template v-for="h in handles" :key="h.key">
                <rect
                  v-if="!h.side"
                  class="handle"
                  :data-corner="h.corner"
                  :x="pan.toScreen(h.p)[0] - 4.5"
                  :y="pan.toScreen(h.p)[1] - 4.5"
                  width="9"
                  height="9"
                />
                <circle
                  v-else
                  class="handle side"
                  :data-side="h.side.join('-')"
                  :cx="pan.toScreen(h.p)[0]"
                  :cy="pan.toScreen(h.p)[1]"
                  r="3"
                />
              </template>
            </g>
            <polyline
              v-if="points.length > 1"
              class="drawn"
              :points="points.map((p) => pan.toScreen(p).join()).join(' ')"
            />
            <circle
              v-for="(p, i) in points"
              :key="i"
              class="dot"
              :cx="pan.toScreen(p)[0]"
              :cy="pan.toScreen(p)[1]"
              r="3.5"
            />
            <g
              v-if="snapped"
              class="snap"
              data-snap
              :transform="`translate(${pan.toScreen(snapped.pixel as Vec2).join()})`"
              ><path d="M0 -9L9 0L0 9L-9 0Z" /><text x="13" y="-8">{{ snapped.to }}</text></g
            >
            <text v-if="size" data-size :x="pan.toScreen(size.at)[0] + 14" :y="pan.toScreen(size.at)[1] + 20">{{
              size.text
            }}</text>
            <text
              v-if="depthHere"
              class="depth"
              data-depth
              :x="pan.toScreen(depthHere.at)[0] + 14"
              :y="pan.toScreen(depthHere.at)[1] - 6"
              >{{ depthHere.metres === null ? 'nothing there' : `${depthHere.metres.toFixed(2)} m deep` }}</text
            >
          </template>
        </PictureBoard>
        <BuildTools :foregrounds="foregrounds" @take="takeTool" />
        <p v-if="hint" class="first" :class="{ told }" role="status" data-hint>{{ hint }}</p>
      </div>
      <Divider v-if="shown === 'both'" v-model="split.share.value" :beside="split.beside.value" />
      <div v-if="shown === 'both' || shown === 'plan'" class="planhost">
        <PlanBoard
          :shapes="shapes"
          :grounds="s.grounds"
          :photos="s.shot.photos"
          :chosen="s.solidId"
          :also="also"
          edit
          @choose="(id, e) => (chosen.includes(id) && !e.shiftKey ? null : choose(id, e.shiftKey))"
          @shift="shift"
          @corner="dragCorner"
          @drop="drop"
        />
      </div>
      <div v-if="shown === 'orbit'" class="planhost">
        <OrbitBoard
          :state="s.state!"
          :shapes="s.state!.shapes"
          :chosen="s.solidId"
          :also="also"
          :thrown="looks.how === 'thrown'"
          @choose="(id, e) => choose(id, e.shiftKey)"
        />
      </div>
    </div>
    <ViewsBar />
  </div>
</template>

<style scoped>
.views {
  position: absolute;
  inset: 0;
  display: flex;
  flex-direction: column;
}
.pair {
  flex: 1;
  min-height: 0;
  display: grid;
}
.lens,
.planhost {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
.first {
  position: absolute;
  left: 50%;
  bottom: 10px;
  transform: translateX(-50%);
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 7px 12px;
  max-width: 94%;
  width: max-content;
}
.first.told {
  border-color: var(--action);
}
.handle {
  fill: #fff;
  stroke: var(--action);
  stroke-width: 1.6;
  cursor: move;
}
.handle.side {
  stroke-width: 1.2;
}
.ground {
  stroke: rgb(255 255 255 / 45%);
  stroke-width: 0.8;
  fill: none;
}
.drawn {
  fill: none;
  stroke: #fff;
  stroke-width: 1.6;
  stroke-dasharray: 4 3;
}
.dot {
  fill: var(--action);
  stroke: #fff;
}
.snap path {
  fill: none;
  stroke: #fff;
  stroke-width: 2;
}
text {
  font: 500 13px var(--label);
  fill: #fff;
  paint-order: stroke;
  stroke: rgb(34 48 58 / 80%);
  stroke-width: 3px;
}
</style>
