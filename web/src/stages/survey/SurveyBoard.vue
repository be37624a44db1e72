<script setup lang="ts">
/** Trace edges on the photo; the camera follows while dragging. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Family, Survey, Vec2 } from '../../api/client'
import { bendPixel, groundGrid, viewOf } from '../../board/camera'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { HINTS, NAMES, near, useSurvey, type Tool } from './survey'

const { s, tool, chosen, kept, survey, result, problem, show, trying, giveUp, keep, copy, removeChosen } = useSurvey()
const router = useRouter()
const board = ref<{ pan: PanZoom }>()
const src = computed(() => (s.photo ? `/api/shots/${s.id}/photos/${s.photo.id}/picture?width=4096` : null))

type Grip = { kind: 'edge'; edge: number; point: number } | { kind: 'tape'; tape: number; end: 'a' | 'b' } | { kind: 'datum' }
let grip: Grip | null = null
let drawing: { a: Vec2; b: Vec2 } | null = null
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
  else if (tool.value === 'datum') { if (v.datum) offer(v.datum as Vec2, { kind: 'datum' }) }
  else v.edges.forEach((e, i) => { if (e.family === tool.value || !e.family) e.points.forEach((q, j) => offer(q as Vec2, { kind: 'edge', edge: i, point: j })) })
  return best
}
function placed(p: Vec2): Survey {
  const next = copy()
  if (grip?.kind === 'edge') next.edges[grip.edge].points[grip.point] = p
  else if (grip?.kind === 'tape') next.lengths[grip.tape][grip.end] = p
  else if (grip?.kind === 'datum') next.datum = p
  return next
}
function inside(p: Vec2): Vec2 {
  return [Math.min(Math.max(p[0], 0), s.photo!.width!), Math.min(Math.max(p[1], 0), s.photo!.height!)]
}
/** The edge whose line passes under a pixel. */
function edgeAt(p: Vec2): number | null {
  const reach = 7 / board.value!.pan.at.scale
  let best: number | null = null
  let least = reach
  kept.value!.edges.forEach((e, i) => {
    const [a, b] = [e.points[0] as Vec2, e.points[e.points.length - 1] as Vec2]
    const d = [b[0] - a[0], b[1] - a[1]]
    const t = Math.min(1, Math.max(0, ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1]) / (d[0] ** 2 + d[1] ** 2)))
    const off = near(p, [a[0] + t * d[0], a[1] + t * d[1]])
    if (off < least) { least = off; best = i }
  })
  return best
}
/** A new edge, once it is long enough to mean something. */
function withDrawn(): Survey | null {
  if (!drawing || near(drawing.a, drawing.b) * board.value!.pan.at.scale < 6) return null
  const next = copy()
  if (tool.value === 'tape') next.lengths.push({ a: drawing.a, b: drawing.b, direction: tapeDirection(drawing.a, drawing.b), metres: 1 })
  else if (tool.value !== 'datum') next.edges.push({ family: tool.value, points: [drawing.a, drawing.b] })
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
  grip = pick(p)
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
  drawing = { a: inside(p), b: inside(p) }
}
function move(p: Vec2) {
  hover.value = p
  if (grip) trying(placed(inside(p)))
  else if (drawing) {
    drawing.b = inside(p)
    ghost.value = { ...drawing }
    const next = withDrawn()
    if (next && tool.value !== 'tape') trying(next)
  }
}
async function up(p: Vec2) {
  if (grip) {
    const label = grip.kind === 'edge' ? 'Move an edge’s end' : grip.kind === 'tape' ? 'Move a tape’s end' : 'Move the datum'
    const next = placed(inside(p))
    grip = null
    if (JSON.stringify(next) !== JSON.stringify(kept.value)) await keep(next, label)
    else giveUp()
  } else if (drawing) {
    drawing.b = inside(p)
    const next = withDrawn()
    drawing = null
    ghost.value = null
    if (!next) chosen.value = edgeAt(p)
    if (next) {
      await keep(next, tool.value === 'tape' ? 'Lay a tape' : 'Trace an edge')
      if (tool.value !== 'tape') chosen.value = next.edges.length - 1
    } else giveUp()
  }
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (['INPUT', 'SELECT', 'TEXTAREA'].includes((event.target as HTMLElement).tagName) || event.ctrlKey || event.altKey || event.metaKey) return
  const tools: Record<string, Tool> = { r: 'run', e: 'return', u: 'rise', t: 'tape', o: 'datum' }
  const wanted = tools[event.key.toLowerCase()]
  if (wanted) {
    if (chosen.value !== null && kept.value && ['run', 'return', 'rise'].includes(wanted)) {
      const next = copy()
      next.edges[chosen.value].family = wanted as Family
      void keep(next, 'Change an edge’s direction')
    }
    tool.value = wanted
  } else if (event.key === 'Delete' || event.key === 'Backspace') removeChosen()
  else if (event.key === 'Escape') { grip = null; drawing = null; ghost.value = null; giveUp(); chosen.value = null }
})
watch(() => s.photo?.id, () => { grip = null; drawing = null })

const camera = computed(() => result.value?.camera ?? null)
const gridStep = computed(() => (camera.value?.position ? 1 : 0.5))
const grid = computed(() => {
  if (!camera.value || !show.grid) return []
  const view = viewOf(camera.value)
  return groundGrid(view, gridStep.value)
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
  { id: 'tape', name: 'Tape', key: 'T', hint: 'a known length, from the ground' },
  { id: 'datum', name: 'Datum', key: 'O', hint: 'the origin, on the ground' },
]
</script>

<template>
  <div v-if="!s.photo" class="empty">
    <p>A photo comes first.</p>
    <button class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</button>
  </div>
  <template v-else>
    <PictureBoard ref="board" :src="src" :width="s.photo.width!" :height="s.photo.height!" loupe cursor="crosshair" label="Trace edges on the photo" @down="down" @move="move" @up="up">
      <template #default="{ pan }">
        <clipPath id="in-photo"><rect :x="pan.at.x" :y="pan.at.y" :width="s.photo.width! * pan.at.scale" :height="s.photo.height! * pan.at.scale" /></clipPath>
        <g v-if="grid.length" class="grid" data-grid clip-path="url(#in-photo)"><path :d="grid.map((l) => bent(l, pan.toScreen)).join('')" /></g>
        <path v-if="horizon" class="horizon" :d="bent(horizon, pan.toScreen)" data-horizon />
        <g v-if="survey">
          <g v-for="(e, i) in survey.edges" :key="i" :class="['edge', e.family ?? 'none', { chosen: chosen === i }]" :data-edge="i">
            <polyline class="halo" :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')" />
            <polyline class="line" :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')" />
            <template v-for="(p, j) in e.points" :key="j">
              <rect v-if="e.family === 'run'" class="end" :x="pan.toScreen(p as Vec2)[0] - 4" :y="pan.toScreen(p as Vec2)[1] - 4" width="8" height="8" />
              <circle v-else-if="e.family === 'return'" class="end" :cx="pan.toScreen(p as Vec2)[0]" :cy="pan.toScreen(p as Vec2)[1]" r="4.5" />
              <path v-else class="end" :d="`M${pan.toScreen(p as Vec2)[0] - 5} ${pan.toScreen(p as Vec2)[1] + 4}l5 -9l5 9Z`" />
            </template>
          </g>
          <g v-for="(t, i) in survey.lengths" :key="`t${i}`" class="tape" :data-tape="i">
            <line :x1="pan.toScreen(t.a as Vec2)[0]" :y1="pan.toScreen(t.a as Vec2)[1]" :x2="pan.toScreen(t.b as Vec2)[0]" :y2="pan.toScreen(t.b as Vec2)[1]" />
            <path v-for="end in [t.a, t.b]" :key="end.join()" :d="`M${pan.toScreen(end as Vec2)[0] - 7} ${pan.toScreen(end as Vec2)[1]}h14`" />
            <text :x="(pan.toScreen(t.a as Vec2)[0] + pan.toScreen(t.b as Vec2)[0]) / 2 + 9" :y="(pan.toScreen(t.a as Vec2)[1] + pan.toScreen(t.b as Vec2)[1]) / 2">{{ t.metres }} m</text>
          </g>
          <g v-if="survey.datum" class="datum" data-datum :transform="`translate(${pan.toScreen(survey.datum as Vec2).join()})`"><circle r="7" /><path d="M-12 0H12M0 -12V12" /></g>
        </g>
        <g v-if="show.points">
          <g v-for="v in vanishing" :key="v.family" :class="['vp', v.family]" :transform="`translate(${pan.toScreen(v.at).join()})`"><path d="M-7 -7L7 7M-7 7L7 -7" /><text x="10" y="4">{{ NAMES[v.family] }}</text></g>
        </g>
        <line v-if="ghost" class="ghost" :x1="pan.toScreen(ghost.a)[0]" :y1="pan.toScreen(ghost.a)[1]" :x2="pan.toScreen(ghost.b)[0]" :y2="pan.toScreen(ghost.b)[1]" />
      </template>
    </PictureBoard>
    <div class="tools" role="toolbar" aria-label="What to trace">
      <button v-for="t in tools" :key="t.id" :class="{ on: tool === t.id }" :data-tool="t.id" :title="`${t.name}: ${t.hint} (${t.key})`" :aria-pressed="tool === t.id" @click="tool = t.id">
        <svg v-if="t.id !== 'tape' && t.id !== 'datum'" width="26" height="8" :class="['mark', t.id]"><line x1="1" y1="4" x2="25" y2="4" /></svg>{{ t.name }}
      </button>
      <span class="spacer" />
      <label><input v-model="show.grid" type="checkbox" /> Ground grid, {{ gridStep }} {{ camera?.position ? 'm' : 'camera heights' }}</label>
    </div>
    <p v-if="!survey?.edges.length" class="first">Drag along an edge of the place: first those along its front (Run), then into depth (Return), then upright (Rise).</p>
    <p v-else-if="problem" class="first" role="status">{{ problem }}</p>
  </template>
</template>

<style scoped>
.empty { position: absolute; inset: 0; display: grid; place-content: center; justify-items: center; gap: 14px; color: #fff; font-size: 17px; }
.tools { position: absolute; left: 10px; right: 10px; top: 10px; display: flex; gap: 0; align-items: center; pointer-events: none; }
.tools > * { pointer-events: auto; }
.tools button { background: var(--paper); margin-right: -1px; display: flex; gap: 7px; align-items: center; }
.tools button.on { background: var(--ink); }
.tools .spacer { flex: 1; pointer-events: none; }
.tools label { background: var(--paper); border: 1px solid var(--ink); padding: 5px 9px; }
.mark line { stroke-width: 3; }
.run line, .edge.run .line { stroke: var(--run); }
.mark.run line { stroke: #57b5aa; }
.mark.return line { stroke: #d69a33; stroke-dasharray: 9 4; stroke-linecap: round; }
.mark.rise line { stroke: #9d86c9; stroke-dasharray: 2 4; }
.first { position: absolute; left: 50%; bottom: 16px; transform: translateX(-50%); background: var(--paper); border: 1px solid var(--ink); padding: 8px 14px; max-width: 76%; }
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
.edge.chosen .line { stroke-width: 3.4; }
.edge.chosen .end { fill: var(--action); }
.grid path { fill: none; stroke: rgb(255 255 255 / 50%); stroke-width: 0.8; }
.horizon { fill: none; stroke: #fff; stroke-width: 1.2; stroke-dasharray: 1 3; }
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
