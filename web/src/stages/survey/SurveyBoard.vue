<script setup lang="ts">
/** Trace edges on the photo; the camera follows while dragging. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Edge, Family, Survey, Vec2 } from '../../api/client'
import { bendPixel, groundGrid, viewOf, wallGrid } from '../../board/camera'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import CompareSheet from './CompareSheet.vue'
import { useJoining } from './joining'
import Overview from './Overview.vue'
import { familyOf, HINTS, NAMES, near, useSurvey, type Tool } from './survey'
import TieMarks from './TieMarks.vue'

const { s, tool, chosen, kept, survey, result, problem, show, found, dropped, finding, hint, measuring, measure, mm, trying, giveUp, keep, copy, removeChosen, find, takeFound, snapped } = useSurvey()
const { ties, chosenTie, compareWith, compareHow, place, shift, remove: removeTie } = useJoining()
const router = useRouter()
const board = ref<{ pan: PanZoom }>()
const comparing = computed(() => (compareWith.value && compareWith.value !== s.photo?.id && s.photo?.camera?.position ? s.shot.photos.find((p) => p.id === compareWith.value && p.camera?.position) ?? null : null))
const src = computed(() => (s.photo ? `/api/shots/${s.id}/photos/${s.photo.id}/picture?width=4096${comparing.value ? '&straight=true' : ''}` : null))

type Grip = { kind: 'tie'; id: string } | { kind: 'edge'; edge: number; point: number } | { kind: 'tape'; tape: number; end: 'a' | 'b' } | { kind: 'datum' } | { kind: 'horizon'; end: 0 | 1 }
let grip: Grip | null = null
let drawing: { a: Vec2; b: Vec2 } | null = null
const heldTie = ref<{ id: string; at: Vec2 } | null>(null)
const ghost = ref<{ a: Vec2; b: Vec2 } | null>(null)
const hover = ref<Vec2 | null>(null)

function pick(p: Vec2): Grip | null {
  const reach = 9 / board.value!.pan.at.scale
  const v = kept.value!
  let best: Grip | null = null
  let distance = reach
  const offer = (q: Vec2, g: Grip) => { const d = near(p, q); if (d < distance) { distance = d; best = g } }
  // only what the tool at hand draws can be taken hold of, so that an edge may start at another's end
  if (tool.value === 'tape') v.lengths.forEach((t, i) => { offer(t.a as Vec2, { kind: 'tape', tape: i, end: 'a' }); offer(t.b as Vec2, { kind: 'tape', tape: i, end: 'b' }) })
  else if (tool.value === 'horizon') v.horizon?.forEach((q, i) => offer(q as Vec2, { kind: 'horizon', end: i as 0 | 1 }))
  else if (tool.value === 'datum') { if (v.datum) offer(v.datum as Vec2, { kind: 'datum' }) }
  else if (tool.value === 'point') ties.value.forEach((t) => { const q = t.seen[s.photo!.id]; if (q) offer(q as Vec2, { kind: 'tie', id: t.id }) })
  else v.edges.forEach((e, i) => { if (e.family === (familyOf(tool.value) ?? null) || !e.family) e.points.forEach((q, j) => { if (j === 0 || j === e.points.length - 1 || chosen.value === i) offer(q as Vec2, { kind: 'edge', edge: i, point: j }) }) })
  return best
}
function placed(p: Vec2): Survey {
  const next = copy()
  if (grip?.kind === 'edge') next.edges[grip.edge].points[grip.point] = p
  else if (grip?.kind === 'tape') next.lengths[grip.tape][grip.end] = p
  else if (grip?.kind === 'datum') next.datum = p
  else if (grip?.kind === 'horizon' && next.horizon) next.horizon[grip.end] = p
  return next
}
function inside(p: Vec2): Vec2 {
  return [Math.min(Math.max(p[0], 0), s.photo!.width!), Math.min(Math.max(p[1], 0), s.photo!.height!)]
}
/** Of some edges the one whose line passes under a pixel, within a few pixels of the screen. */
function under(edges: Edge[], p: Vec2, within: number): number | null {
  let best: number | null = null
  let least = within / board.value!.pan.at.scale
  edges.forEach((e, i) => {
    const [a, b] = [e.points[0] as Vec2, e.points[e.points.length - 1] as Vec2]
    const d = [b[0] - a[0], b[1] - a[1]]
    const t = Math.min(1, Math.max(0, ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1]) / (d[0] ** 2 + d[1] ** 2)))
    const off = near(p, [a[0] + t * d[0], a[1] + t * d[1]])
    if (off < least) { least = off; best = i }
  })
  return best
}
const edgeAt = (p: Vec2) => under(kept.value!.edges, p, 7)
/** A new edge, once it is long enough to mean something. */
function withDrawn(): Survey | null {
  if (!drawing || near(drawing.a, drawing.b) * board.value!.pan.at.scale < 6) return null
  const next = copy()
  if (tool.value === 'tape') next.lengths.push({ a: drawing.a, b: drawing.b, direction: tapeDirection(drawing.a, drawing.b), metres: 1 })
  else if (tool.value === 'horizon') next.horizon = [drawing.a, drawing.b]
  else if (familyOf(tool.value) !== undefined) next.edges.push({ family: familyOf(tool.value) ?? null, points: [drawing.a, drawing.b] })
  return next
}
/** A tape follows the direction whose picture it lies nearest to. */
function tapeDirection(a: Vec2, b: Vec2): Family {
  const r = s.photo?.result
  if (!r) return Math.abs(b[1] - a[1]) > Math.abs(b[0] - a[0]) ? 'rise' : 'run'
  const middle: Vec2 = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
  const along = Math.atan2(b[1] - a[1], b[0] - a[0])
  let best: Family = 'rise'
  let least = Infinity
  for (const f of ['run', 'return', 'rise'] as Family[]) {
    const v = r.vanishing_points[f]
    const to = Math.atan2(v[1] - middle[1] * v[2], v[0] - middle[0] * v[2])
    const off = Math.abs(Math.sin(along - to))
    if (off < least) { least = off; best = f }
  }
  return best
}
function down(p: Vec2) {
  if (comparing.value) return
  if (found.value) {
    const i = under(found.value.edges, p, 8)
    if (i === null) return
    const next = new Set(dropped.value)
    if (!next.delete(i)) next.add(i)
    dropped.value = next
    return
  }
  grip = pick(p)
  if (tool.value === 'point') {
    if (grip?.kind === 'tie') { chosenTie.value = grip.id; heldTie.value = { id: grip.id, at: p } }
    else if (s.photo) void place(s.photo, inside(p))
    return
  }
  if (grip) {
    if (grip.kind === 'edge') chosen.value = grip.edge
    return
  }
  if (tool.value === 'datum') {
    const next = copy()
    next.datum = inside(p)
    void keep(next, 'Set the datum')
    return
  }
  chosen.value = null
  if (tool.value === 'measure') measuring.value = null
  drawing = { a: inside(p), b: inside(p) }
}
function move(p: Vec2) {
  hover.value = p
  if (grip?.kind === 'tie') heldTie.value = { id: grip.id, at: inside(p) }
  else if (grip) trying(placed(inside(p)))
  else if (drawing) {
    drawing.b = inside(p)
    if (tool.value === 'measure') return measure(drawing.a, drawing.b)
    ghost.value = { ...drawing }
    const next = withDrawn()
    if (next && tool.value !== 'tape') trying(next)
  }
}
async function up(p: Vec2, event: PointerEvent) {
  const laying = show.snap && !event.altKey
  const reach = 7 / board.value!.pan.at.scale
  if (grip?.kind === 'tie') {
    const id = grip.id
    grip = null
    const was = ties.value.find((t) => t.id === id)?.seen[s.photo!.id] as Vec2 | undefined
    if (was && near(was, p) * board.value!.pan.at.scale > 1.5) await shift(id, s.photo!, inside(p))
    heldTie.value = null
    return
  }
  if (grip) {
    const label = grip.kind === 'edge' ? 'Move an edge’s end' : grip.kind === 'horizon' ? 'Move the horizon' : grip.kind === 'tape' ? 'Move a tape’s end' : 'Move the datum'
    const next = placed(inside(p))
    const moved = grip.kind === 'edge' ? grip.edge : null
    grip = null
    if (moved !== null && laying) next.edges[moved].points = await snapped(next.edges[moved].points as Vec2[], reach)
    if (JSON.stringify(next) !== JSON.stringify(kept.value)) await keep(next, label)
    else giveUp()
  } else if (drawing && tool.value === 'measure') {
    drawing = null
  } else if (drawing) {
    drawing.b = inside(p)
    const next = withDrawn()
    drawing = null
    ghost.value = null
    if (!next) chosen.value = edgeAt(p)
    if (next) {
      const edge = familyOf(tool.value) !== undefined
      if (edge && laying) {
        const last = next.edges[next.edges.length - 1]
        last.points = await snapped(last.points as Vec2[], reach)
      }
      await keep(next, tool.value === 'tape' ? 'Lay a tape' : edge ? 'Trace an edge' : 'Draw the horizon')
      if (edge) chosen.value = next.edges.length - 1
    } else giveUp()
  }
}
/** A further point on an edge, where the lens bends it. */
function twice(p: Vec2) {
  const i = found.value || comparing.value ? null : edgeAt(p)
  if (i === null) return
  const next = copy()
  const points = next.edges[i].points as Vec2[]
  let at = 1
  let least = Infinity
  for (let j = 1; j < points.length; j++) {
    const off = near(p, points[j - 1]) + near(p, points[j]) - near(points[j - 1], points[j])
    if (off < least) { least = off; at = j }
  }
  points.splice(at, 0, inside(p))
  chosen.value = i
  void keep(next, 'Add a point to an edge')
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (['INPUT', 'SELECT', 'TEXTAREA'].includes((event.target as HTMLElement).tagName) || event.ctrlKey || event.altKey || event.metaKey) return
  const tools: Record<string, Tool> = { r: 'run', e: 'return', u: 'rise', s: 'straight', h: 'horizon', t: 'tape', o: 'datum', m: 'measure', p: 'point' }
  const wanted = tools[event.key.toLowerCase()]
  if (event.key.toLowerCase() === 'f' && !found.value) void find()
  else if (wanted) {
    if (wanted === 'point' && s.shot.photos.length < 2) return
    if (chosen.value !== null && kept.value && familyOf(wanted) !== undefined) {
      const next = copy()
      next.edges[chosen.value].family = familyOf(wanted) ?? null
      void keep(next, 'Change an edge’s direction')
    }
    tool.value = wanted
  } else if (event.key === 'Delete' || event.key === 'Backspace') {
    if (tool.value === 'point') { if (chosenTie.value) void removeTie(chosenTie.value) }
    else if (tool.value === 'horizon' && kept.value?.horizon) { const next = copy(); next.horizon = null; void keep(next, 'Remove the horizon') }
    else removeChosen()
  }
  else if (event.key === 'Escape') { grip = null; drawing = null; ghost.value = null; heldTie.value = null; giveUp(); chosen.value = null; found.value = null; measuring.value = null; chosenTie.value = null }
})
watch(() => s.photo?.id, () => { grip = null; drawing = null })

const camera = computed(() => result.value?.camera ?? null)
const gridStep = computed(() => (camera.value?.position ? 1 : 0.5))
const grid = computed(() => {
  if (!camera.value || show.grid === 'none' || comparing.value) return []
  const view = viewOf(camera.value)
  return show.grid === 'ground' ? groundGrid(view, gridStep.value) : wallGrid(view, gridStep.value, show.grid)
})
const horizon = computed<[Vec2, Vec2] | null>(() => {
  const h = result.value?.horizon
  if (!h || !s.photo) return null
  const w = s.photo.width!
  if (Math.abs(h[1]) < 1e-6) return null
  const y = (x: number) => -(h[0] * x + h[2]) / h[1]
  return [[-w, y(-w)], [2 * w, y(2 * w)]]
})
function bent(line: [Vec2, Vec2], toScreen: (p: Vec2) => Vec2): string {
  const c = camera.value
  if (!c || !(c.distortion as number[]).some(Boolean)) {
    const [a, b] = line.map(toScreen)
    return `M${a.join(' ')}L${b.join(' ')}`
  }
  let d = ''
  for (let i = 0; i <= 24; i++) {
    const p: Vec2 = [line[0][0] + ((line[1][0] - line[0][0]) * i) / 24, line[0][1] + ((line[1][1] - line[0][1]) * i) / 24]
    d += `${i ? 'L' : 'M'}${toScreen(bendPixel(c, p)).map((v) => v.toFixed(1)).join(' ')}`
  }
  return d
}
const vanishing = computed(() => {
  const r = result.value
  if (!r) return []
  return (['run', 'return', 'rise'] as Family[]).flatMap((f) => {
    const [x, y, w] = r.vanishing_points[f]
    return Math.abs(w) < 1e-9 ? [] : [{ family: f, at: [x / w, y / w] as Vec2 }]
  })
})
const tools: { id: Tool; name: string; key: string; hint: string }[] = [
  ...(['run', 'return', 'rise'] as Family[]).map((f) => ({ id: f as Tool, name: NAMES[f], key: { run: 'R', return: 'E', rise: 'U' }[f], hint: HINTS[f] })),
  { id: 'straight', name: 'Straight', key: 'S', hint: 'straight in the place, of no direction: tells how the lens bends' },
  { id: 'horizon', name: 'Horizon', key: 'H', hint: 'a horizon that is seen, as of the sea or a plain' },
  { id: 'tape', name: 'Tape', key: 'T', hint: 'a known length, from the ground' },
  { id: 'datum', name: 'Datum', key: 'O', hint: 'the origin, on the ground' },
  { id: 'measure', name: 'Measure', key: 'M', hint: 'a length on the plane of the grid that is shown, with its error; nothing is kept' },
  ...(s.shot.photos.length > 1 ? [{ id: 'point' as Tool, name: 'Point', key: 'P', hint: 'one spot that several photos show: click it in each' }] : []),
]
const unsure = computed(() => (found.value?.result.sigma.focal_px ?? 0) > 0.04 * (found.value?.result.camera.focal_px ?? 1))
const counts = computed(() => {
  const kept = (found.value?.edges ?? []).filter((_, i) => !dropped.value.has(i))
  return (['run', 'return', 'rise'] as Family[]).map((f) => `${NAMES[f]} ${kept.filter((e) => e.family === f).length}`).join(' · ')
})
</script>

<template>
  <div v-if="!s.photo" class="empty">
    <p>A photo comes first.</p>
    <button class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</button>
  </div>
  <template v-else>
    <PictureBoard ref="board" :src="src" :width="s.photo.width!" :height="s.photo.height!" :loupe="!comparing && !found" :cursor="comparing || found ? 'default' : 'crosshair'" label="Trace edges on the photo" @down="down" @move="move" @up="up" @twice="twice">
      <template #default="{ pan }">
        <clipPath id="in-photo"><rect :x="pan.at.x" :y="pan.at.y" :width="s.photo.width! * pan.at.scale" :height="s.photo.height! * pan.at.scale" /></clipPath>
        <g v-if="grid.length" class="grid" data-grid clip-path="url(#in-photo)"><path :d="grid.map((l) => bent(l, pan.toScreen)).join('')" /></g>
        <path v-if="horizon" class="horizon" :d="bent(horizon, pan.toScreen)" data-horizon />
        <g v-if="found" data-found>
          <polyline v-for="(e, i) in found.edges" :key="`f${i}`" :class="['proposed', e.family ?? 'none', { out: dropped.has(i) }]" :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')" />
        </g>
        <g v-if="survey && !found && !comparing">
          <g v-for="(e, i) in survey.edges" :key="i" :class="['edge', e.family ?? 'none', { chosen: chosen === i, faulty: (result?.edges[i]?.weight ?? 1) < 0.05 }]" :data-edge="i">
            <polyline class="halo" :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')" />
            <polyline class="line" :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')" />
            <template v-for="(p, j) in e.points" :key="j">
              <template v-if="j > 0 && j < e.points.length - 1"><circle v-if="chosen === i" class="end" :cx="pan.toScreen(p as Vec2)[0]" :cy="pan.toScreen(p as Vec2)[1]" r="3" /></template>
              <template v-else>
              <rect v-if="e.family === 'run'" class="end" :x="pan.toScreen(p as Vec2)[0] - 4" :y="pan.toScreen(p as Vec2)[1] - 4" width="8" height="8" />
              <circle v-else-if="e.family === 'return'" class="end" :cx="pan.toScreen(p as Vec2)[0]" :cy="pan.toScreen(p as Vec2)[1]" r="4.5" />
              <path v-else class="end" :d="`M${pan.toScreen(p as Vec2)[0] - 5} ${pan.toScreen(p as Vec2)[1] + 4}l5 -9l5 9Z`" />
              </template>
            </template>
          </g>
          <g v-if="survey.horizon" class="drawn-horizon" data-drawn-horizon>
            <line :x1="pan.toScreen(survey.horizon[0] as Vec2)[0]" :y1="pan.toScreen(survey.horizon[0] as Vec2)[1]" :x2="pan.toScreen(survey.horizon[1] as Vec2)[0]" :y2="pan.toScreen(survey.horizon[1] as Vec2)[1]" />
            <circle v-for="(q, i) in survey.horizon" :key="i" :cx="pan.toScreen(q as Vec2)[0]" :cy="pan.toScreen(q as Vec2)[1]" r="4" />
          </g>
          <g v-for="(t, i) in survey.lengths" :key="`t${i}`" class="tape" :data-tape="i">
            <line :x1="pan.toScreen(t.a as Vec2)[0]" :y1="pan.toScreen(t.a as Vec2)[1]" :x2="pan.toScreen(t.b as Vec2)[0]" :y2="pan.toScreen(t.b as Vec2)[1]" />
            <path v-for="end in [t.a, t.b]" :key="end.join()" :d="`M${pan.toScreen(end as Vec2)[0] - 7} ${pan.toScreen(end as Vec2)[1]}h14`" />
            <text :x="(pan.toScreen(t.a as Vec2)[0] + pan.toScreen(t.b as Vec2)[0]) / 2 + 9" :y="(pan.toScreen(t.a as Vec2)[1] + pan.toScreen(t.b as Vec2)[1]) / 2">{{ t.metres }} m</text>
          </g>
          <g v-if="survey.datum" class="datum" data-datum :transform="`translate(${pan.toScreen(survey.datum as Vec2).join()})`"><circle r="7" /><path d="M-12 0H12M0 -12V12" /></g>
        </g>
        <TieMarks v-if="!found && !comparing" :ties="ties" :photo="s.photo.id" :chosen="chosenTie" :to-screen="pan.toScreen" :held="heldTie" />
        <g v-if="hint" class="hint" :transform="`translate(${pan.toScreen(hint).join()})`"><circle r="22" /><path d="M-30 0h-14M30 0h14M0 -30v-14M0 30v14" /></g>
        <g v-if="show.points && !comparing">
          <g v-for="v in vanishing" :key="v.family" :class="['vp', v.family]" :transform="`translate(${pan.toScreen(v.at).join()})`"><path d="M-7 -7L7 7M-7 7L7 -7" /><text x="10" y="4">{{ NAMES[v.family] }}</text></g>
        </g>
        <g v-if="measuring && !comparing" class="measure" data-measure>
          <line :x1="pan.toScreen(measuring.a)[0]" :y1="pan.toScreen(measuring.a)[1]" :x2="pan.toScreen(measuring.b)[0]" :y2="pan.toScreen(measuring.b)[1]" />
          <text :x="pan.toScreen(measuring.b)[0] + 12" :y="pan.toScreen(measuring.b)[1] + 18">{{ measuring.problem ?? (measuring.metres === null ? '' : `${measuring.metres.toFixed(2)} ± ${Math.max(measuring.sigma, 0.005).toFixed(2)} m on the ${show.grid === 'none' || show.grid === 'ground' ? 'ground' : `${show.grid} plane`}`) }}</text>
        </g>
        <line v-if="ghost" class="ghost" :x1="pan.toScreen(ghost.a)[0]" :y1="pan.toScreen(ghost.a)[1]" :x2="pan.toScreen(ghost.b)[0]" :y2="pan.toScreen(ghost.b)[1]" />
      </template>
      <template #front="{ pan }">
        <CompareSheet v-if="comparing" :src="`/api/shots/${s.id}/photos/${comparing.id}/compared/${s.photo.id}?width=1600&r=${s.state?.revision}`" :how="compareHow" :width="s.photo.width!" :height="s.photo.height!" :pan="pan" />
      </template>
    </PictureBoard>
    <Overview v-if="result && !comparing && !found" :result="result" :width="s.photo.width!" :height="s.photo.height!" />
    <div class="tools" role="toolbar" aria-label="What to trace">
      <button v-for="t in tools" :key="t.id" :class="{ on: tool === t.id }" :data-tool="t.id" :title="`${t.name}: ${t.hint} (${t.key})`" :aria-pressed="tool === t.id" @click="tool = t.id">
        <svg v-if="familyOf(t.id)" width="26" height="8" :class="['mark', t.id]"><line x1="1" y1="4" x2="25" y2="4" /></svg>{{ t.name }}
      </button>
    </div>
    <div class="aids">
      <label title="Drawn edges are laid onto the picture's own; hold Alt to suspend it"><input v-model="show.snap" type="checkbox" /> Snap</label>
      <label class="grids">Grid
        <select v-model="show.grid" aria-label="Which grid is shown"><option value="none">none</option><option value="ground">ground</option><option value="front">front wall</option><option value="side">side wall</option></select>
        <span class="figure">{{ camera?.position ? `${gridStep} m` : '½ camera height' }}</span>
      </label>
    </div>
    <div v-if="found" class="first row" role="status" data-found-bar>
      <span>{{ found.edges.length - dropped.size }} edges found: {{ counts }}. They give f {{ mm(found.result.camera.focal_px).toFixed(2) }} ± {{ mm(found.result.sigma.focal_px ?? 0).toFixed(2) }} mm{{ unsure ? ', which is not well known yet: take them and trace more' : '' }}. Click one to drop it.</span>
      <button class="sure" data-take @click="takeFound">Take them</button><button @click="found = null">Leave them</button>
    </div>
    <div v-else-if="finding" class="first" role="status">Looking for straight edges and their directions…</div>
    <div v-else-if="!survey?.edges.length" class="first row">
      <span>Let the edges be found, or drag along them: those along the front of the place (Run), into depth (Return), upright (Rise).</span>
      <button class="main" data-find @click="find">Find edges</button>
    </div>
    <p v-else-if="problem" class="first" role="status">{{ problem }}</p>
  </template>
</template>

<style scoped>
.empty { position: absolute; inset: 0; display: grid; place-content: center; justify-items: center; gap: 14px; color: #fff; font-size: 17px; }
.tools { position: absolute; left: 10px; right: 10px; top: 10px; display: flex; gap: 0; align-items: center; pointer-events: none; }
.tools > * { pointer-events: auto; }
.tools button { background: var(--paper); margin-right: -1px; display: flex; gap: 7px; align-items: center; }
.tools button.on { background: var(--ink); }
.tools button { white-space: nowrap; }
.aids { position: absolute; right: 10px; bottom: 10px; display: flex; }
.aids label { background: var(--paper); border: 1px solid var(--ink); padding: 4px 9px; margin-left: -1px; display: flex; gap: 6px; align-items: center; white-space: nowrap; }
.mark line { stroke-width: 3; }
.run line, .edge.run .line { stroke: var(--run); }
.mark.run line { stroke: #57b5aa; }
.mark.return line { stroke: #d69a33; stroke-dasharray: 9 4; stroke-linecap: round; }
.mark.rise line { stroke: #9d86c9; stroke-dasharray: 2 4; }
.first { position: absolute; left: 50%; bottom: 52px; z-index: 1; transform: translateX(-50%); background: var(--paper); border: 1px solid var(--ink); padding: 8px 14px; max-width: 76%; }
.edge polyline { fill: none; }
.edge .halo { stroke: rgb(255 255 255 / 80%); stroke-width: 4.5; }
.edge .line { stroke: #fff; stroke-width: 2.2; }
.edge.run .line { stroke: var(--run); }
.edge.return .line { stroke: var(--return); stroke-dasharray: 13 6; stroke-linecap: round; }
.edge.rise .line { stroke: var(--rise); stroke-dasharray: 2.5 4; }
.edge .end { fill: #fff; stroke: var(--ink); stroke-width: 1.2; }
.edge.run .end { stroke: var(--run); }
.edge.return .end { stroke: var(--return); }
.edge.rise .end { stroke: var(--rise); }
.edge.faulty .line { opacity: 0.75; stroke-dasharray: 3 7; }
.proposed { fill: none; stroke-width: 2.6; paint-order: stroke; filter: drop-shadow(0 0 1px #fff); }
.proposed.run { stroke: var(--run); }
.proposed.return { stroke: var(--return); stroke-dasharray: 13 6; stroke-linecap: round; }
.proposed.rise { stroke: var(--rise); stroke-dasharray: 2.5 4; }
.proposed.out { stroke: #fff; opacity: 0.55; stroke-dasharray: 2 6; }
.hint circle, .hint path { fill: none; stroke: #fff; stroke-width: 2.4; }
.hint circle { stroke: var(--action); }
.first.row { flex-wrap: nowrap; max-width: 92%; width: max-content; }
.first.row button { white-space: nowrap; }
.grids select { padding: 1px 2px; }
.edge.chosen .line { stroke-width: 3.4; }
.edge.chosen .end { fill: var(--action); }
.grid path { fill: none; stroke: rgb(255 255 255 / 50%); stroke-width: 0.8; }
.horizon { fill: none; stroke: #fff; stroke-width: 1.2; stroke-dasharray: 1 3; }
.measure line { stroke: #fff; stroke-width: 2; paint-order: stroke; filter: drop-shadow(0 0 1px #000); }
.drawn-horizon line { stroke: #fff; stroke-width: 2.2; stroke-dasharray: 10 4; }
.drawn-horizon circle { fill: var(--ink); stroke: #fff; }
.tape line { stroke: var(--action); stroke-width: 2.4; }
.tape path { stroke: var(--action); stroke-width: 2.4; }
text { font: 500 13px var(--label); fill: #fff; paint-order: stroke; stroke: rgb(34 48 58 / 80%); stroke-width: 3px; }
.datum circle, .datum path { fill: none; stroke: #fff; stroke-width: 2; paint-order: stroke; }
.datum circle { stroke: var(--action); }
.vp path { stroke-width: 2.2; }
.vp.run path { stroke: var(--run); }
.vp.return path { stroke: var(--return); }
.vp.rise path { stroke: var(--rise); }
.ghost { stroke: #fff; stroke-width: 1.4; stroke-dasharray: 4 3; }
</style>
