<script setup lang="ts">
/** Draw geometry through the photo, plan view beside it. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { call, latest, Problem, type Schemas, type Shape, type Vec2, type Vec3 } from '../../api/client'
import { groundGrid, project, viewOf } from '../../board/camera'
import PictureBoard from '../../board/PictureBoard.vue'
import PlanBoard from '../../board/PlanBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import Wire from '../../board/Wire.vue'
import { useShot } from '../../state/shot'
import { flatPlate, tool, view as shown, type Tool } from './tools'

type Axis = 'run' | 'rise' | 'return'
const s = useShot()
const router = useRouter()
const board = ref<{ pan: PanZoom }>()
const photo = computed(() => s.homePhoto)
const camera = computed(() => photo.value?.camera ?? null)
const view = computed(() => (camera.value ? viewOf(camera.value) : null))
const src = computed(() => (photo.value ? `/api/shots/${s.id}/photos/${photo.value.id}/picture?width=3072&straight=true` : null))
const opacity = ref(1)
const showGrid = ref(false)
const grid = computed(() => (showGrid.value && view.value ? groundGrid(view.value, 1) : []))

// a gesture: foot points first, then the height follows the pointer
const points = ref<Vec2[]>([])
const pulling = ref(false)
const draft = shallowRef<Shape | null>(null)
const told = ref<string | null>(null)
const body = (top: Vec2 | null) => ({ kind: tool.value, photo: photo.value!.id, points: points.value, top, plate: tool.value === 'flat' ? flatPlate.value : null })
const tryBuild = latest(async (top: Vec2 | null) => {
  try {
    const got = await call<Schemas['Constructed']>('POST', `/shots/${s.id}/construct/try`, body(top))
    told.value = null
    return got.shape as Shape | null
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    told.value = error.message
    return draft.value
  }
}, (shape) => { if (points.value.length) draft.value = shape })

// dragging a corner of the chosen solid along the axis that the drag follows
const corner = ref<{ index: number; from: Vec2; axis: Axis | null; at: Vec2 } | null>(null)
const pulled = shallowRef<Shape | null>(null)
const tryPull = latest((index: number, axis: Axis, pixel: Vec2) => call<Schemas['Constructed']>('POST', `/shots/${s.id}/solids/${s.solidId}/pull/try`, { corner: index, axis, pixel, photo: photo.value!.id }), (got) => { if (corner.value) pulled.value = got.shape })

const shapes = computed<Shape[]>(() => {
  const kept = s.state!.shapes.map((x) => (pulled.value && x.id === pulled.value.id ? pulled.value : x))
  return draft.value ? [...kept, { ...draft.value, id: '·' }] : kept
})
const lensShapes = computed(() => shapes.value)
const chosenShape = computed(() => shapes.value.find((x) => x.id === s.solidId) ?? null)
const handles = computed(() => {
  const shape = chosenShape.value
  if (!shape || !view.value || s.solid?.locked) return []
  const many = shape.vertices.length > 24
  return shape.vertices.flatMap((v, i) => {
    if (many && i % Math.ceil(shape.vertices.length / 16)) return []
    const p = project(view.value!, v as Vec3)
    return p ? [{ index: i, p }] : []
  })
})
const axes: Record<Axis, Vec3> = { run: [1, 0, 0], rise: [0, 1, 0], return: [0, 0, 1] }

function axisOf(from: Vec2, to: Vec2, v: Vec3): Axis {
  const solid = s.solid!
  const turn = ((('turn_deg' in solid ? solid.turn_deg : 0) ?? 0) * Math.PI) / 180
  const start = project(view.value!, v)!
  const d = [to[0] - from[0], to[1] - from[1]]
  let best: Axis = 'rise'
  let most = -1
  for (const name of Object.keys(axes) as Axis[]) {
    let a = axes[name]
    if (name !== 'rise') a = [Math.cos(turn) * a[0] + Math.sin(turn) * a[2], 0, -Math.sin(turn) * a[0] + Math.cos(turn) * a[2]]
    const q = project(view.value!, [v[0] + a[0] * 0.1, v[1] + a[1] * 0.1, v[2] + a[2] * 0.1])
    if (!q) continue
    const e = [q[0] - start[0], q[1] - start[1]]
    const along = Math.abs(d[0] * e[0] + d[1] * e[1]) / (Math.hypot(e[0], e[1]) || 1)
    if (along > most) { most = along; best = name }
  }
  return best
}

function down(p: Vec2) {
  if (tool.value === 'choose') {
    const reach = 10 / board.value!.pan.at.scale
    const hit = handles.value.filter((h) => Math.hypot(h.p[0] - p[0], h.p[1] - p[1]) < reach)
    if (hit.length) corner.value = { index: hit[0].index, from: p, axis: null, at: p }
    return
  }
  if (pulling.value) return void finish(p)
  if (tool.value === 'flat') {
    points.value = [p]
    return void finish(null)
  }
  points.value = [p, p]
}
function move(p: Vec2) {
  if (corner.value) {
    const c = corner.value
    c.at = p
    const far = Math.hypot(p[0] - c.from[0], p[1] - c.from[1]) * board.value!.pan.at.scale
    if (!c.axis && far > 5) c.axis = axisOf(c.from, p, chosenShape.value!.vertices[c.index] as Vec3)
    if (c.axis) tryPull(c.index, c.axis, offset(c))
    return
  }
  if (pulling.value) tryBuild(p)
  else if (points.value.length === 2) {
    points.value = [points.value[0], p]
    tryBuild(null)
  }
}
/** The pointer took the corner a little beside itself: keep that distance. */
function offset(c: { index: number; from: Vec2; at: Vec2 }): Vec2 {
  const start = project(view.value!, s.state!.shapes.find((x) => x.id === s.solidId)!.vertices[c.index] as Vec3)!
  return [start[0] + c.at[0] - c.from[0], start[1] + c.at[1] - c.from[1]]
}
async function up(p: Vec2) {
  if (corner.value) {
    const c = corner.value
    c.at = p
    if (c.axis) await s.change('POST', `/solids/${s.solidId}/pull`, { corner: c.index, axis: c.axis, pixel: offset(c), photo: photo.value!.id })
    corner.value = null
    tryPull.drop()
    pulled.value = null
    return
  }
  if (points.value.length === 2 && !pulling.value) {
    const [a, b] = points.value
    if (Math.hypot(a[0] - b[0], a[1] - b[1]) * board.value!.pan.at.scale < 6) giveUp()
    else { points.value = [a, p]; pulling.value = true }
  }
}
async function finish(top: Vec2 | null) {
  tryBuild.drop()
  const before = new Set(s.shot.solids.map((x) => x.id))
  const ok = await s.change('POST', '/construct', body(top))
  if (ok) {
    s.solidId = s.shot.solids.find((x) => !before.has(x.id))?.id ?? null
    tool.value = 'choose'
  }
  giveUp()
}
function giveUp() {
  points.value = []
  pulling.value = false
  tryBuild.drop()
  draft.value = null
  told.value = null
  corner.value = null
  pulled.value = null
}
async function direct(kind: 'ground' | 'backdrop') {
  const before = new Set(s.shot.solids.map((x) => x.id))
  if (await s.change('POST', '/construct', { kind, photo: photo.value!.id, distance: kind === 'backdrop' ? 120 : null })) {
    s.solidId = s.shot.solids.find((x) => !before.has(x.id))?.id ?? null
  }
}
const foregrounds = computed(() => s.shot.plates.filter((p) => p.role === 'foreground'))
function take(t: Tool) {
  giveUp()
  tool.value = t
  if (t === 'flat' && !foregrounds.value.some((p) => p.id === flatPlate.value)) flatPlate.value = foregrounds.value[0]?.id ?? null
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (['INPUT', 'SELECT', 'TEXTAREA'].includes((event.target as HTMLElement).tagName)) return
  if (event.key === 'Escape') { giveUp(); tool.value = 'choose' }
  if ((event.key === 'Delete' || event.key === 'Backspace') && s.solidId) { const id = s.solidId; s.solidId = null; void s.change('DELETE', `/solids/${id}`) }
})
const hint = computed(() => {
  if (told.value) return told.value
  if (pulling.value) return 'Move up to the top edge and click.'
  if (tool.value === 'block') return 'Drag on the ground from one corner of the foot to the one opposite.'
  if (tool.value === 'wall') return 'Drag along the foot of the wall, where it meets the ground.'
  if (tool.value === 'flat') return flatPlate.value ? 'Click where the cut-out stands on the ground.' : 'A flat shows a plate of its own: outline the foreground in Plates first.'
  if (!s.shot.solids.length) return 'Lay the ground first, then draw what stands on it.'
  return null
})
</script>

<template>
  <div v-if="!camera?.position" class="empty">
    <p>{{ camera ? 'The survey has no scale yet: lay a tape or type the camera’s height.' : 'Massing is drawn through a surveyed photo.' }}</p>
    <button class="main" @click="router.push(`/shot/${s.id}/survey`)">Go to Survey</button>
  </div>
  <div v-else class="views" :class="`show-${shown}`">
    <div v-show="shown !== 'plan'" class="lens">
      <PictureBoard ref="board" :src="src" :width="camera.width" :height="camera.height" :opacity="opacity" :loupe="tool !== 'choose'" :cursor="tool === 'choose' ? 'default' : 'crosshair'" label="Lens view" @down="down" @move="move" @up="up">
        <template #default="{ pan }">
          <path v-if="grid.length" class="ground" :d="grid.map((l) => `M${pan.toScreen(l[0]).join(' ')}L${pan.toScreen(l[1]).join(' ')}`).join('')" />
          <Wire :shapes="lensShapes" :view="view!" :to-screen="pan.toScreen" :chosen="draft ? '·' : s.solidId" :scale="pan.at.scale" :tick="`${pan.at.x},${pan.at.y}`" @choose="(id) => { if (tool === 'choose') s.solidId = id }" />
          <g v-if="tool === 'choose'">
            <rect v-for="h in handles" :key="h.index" class="handle" :data-corner="h.index" :x="pan.toScreen(h.p)[0] - 4.5" :y="pan.toScreen(h.p)[1] - 4.5" width="9" height="9" />
          </g>
        </template>
      </PictureBoard>
      <div class="tools" role="toolbar" aria-label="What to build">
        <button :class="{ on: tool === 'choose' }" data-tool="choose" @click="take('choose')">Choose</button>
        <button data-tool="ground" @click="direct('ground')">Ground</button>
        <button :class="{ on: tool === 'block' }" data-tool="block" @click="take('block')">Block</button>
        <button :class="{ on: tool === 'wall' }" data-tool="wall" @click="take('wall')">Wall</button>
        <button :class="{ on: tool === 'flat' }" data-tool="flat" @click="take('flat')">Flat</button>
        <button data-tool="backdrop" @click="direct('backdrop')">Backdrop</button>
        <select v-if="tool === 'flat' && foregrounds.length" v-model="flatPlate" aria-label="Plate for the flat"><option v-for="p in foregrounds" :key="p.id" :value="p.id">{{ p.name }}</option></select>
      </div>
      <p v-if="hint" class="first" role="status">{{ hint }}</p>
      <div class="corner">
        <label>Photo <input v-model.number="opacity" type="range" min="0" max="1" step="0.05" aria-label="Opacity of the photo" /></label>
        <label><input v-model="showGrid" type="checkbox" /> 1 m grid</label>
      </div>
    </div>
    <div v-show="shown !== 'lens'" class="planhost"><PlanBoard :shapes="shapes" :photos="s.shot.photos" :chosen="s.solidId" @choose="(id) => (s.solidId = id)" /></div>
    <div class="switch" role="group" aria-label="Views">
      <button :class="{ on: shown === 'lens' }" @click="shown = 'lens'">Lens</button><button :class="{ on: shown === 'both' }" @click="shown = 'both'">Both</button><button :class="{ on: shown === 'plan' }" @click="shown = 'plan'">Plan</button>
    </div>
  </div>
</template>

<style scoped>
.empty { position: absolute; inset: 0; display: grid; place-content: center; justify-items: center; gap: 14px; color: #fff; font-size: 17px; }
.views { position: absolute; inset: 0; display: grid; }
.views.show-both { grid-template-rows: minmax(0, 1.72fr) minmax(0, 1fr); }
.lens, .planhost { position: relative; min-height: 0; overflow: hidden; }
.show-both .planhost { border-top: 1px solid var(--ink); }
.tools { position: absolute; left: 10px; top: 10px; display: flex; }
.tools button { background: var(--paper); margin-right: -1px; }
.tools button.on { background: var(--ink); }
.tools select { margin-left: 8px; }
.first { position: absolute; left: 50%; bottom: 12px; transform: translateX(-50%); background: var(--paper); border: 1px solid var(--ink); padding: 7px 12px; white-space: nowrap; max-width: 94%; overflow: hidden; text-overflow: ellipsis; }
.corner { position: absolute; right: 10px; top: 10px; background: var(--paper); border: 1px solid var(--ink); padding: 4px 9px; display: flex; gap: 10px; align-items: center; }
.corner label { display: flex; gap: 5px; align-items: center; }
.corner input[type='range'] { width: 66px; accent-color: var(--confirm); }
.switch { position: absolute; right: 10px; bottom: 10px; display: flex; }
.switch button { background: var(--paper); margin-left: -1px; padding: 5px 8px; }
.switch button.on { background: var(--ink); }
.handle { fill: #fff; stroke: var(--action); stroke-width: 1.6; cursor: move; }
.ground { stroke: rgb(255 255 255 / 45%); stroke-width: 0.8; fill: none; }
</style>
