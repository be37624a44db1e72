/** The pointer on the photo: edges, tapes, horizon, datum and shared points drawn, taken hold of, chosen. */
import { ref, watch } from 'vue'
import type { Family, Survey, Vec2 } from '../../api/client'
import { freshId } from '../../hand/changes'
import { useJoining } from './joining'
import { near } from '../../board/lines'
import { middleOf, under, within } from './edges'
import { horizonOf, movedHorizon, setHorizon } from './horizon'
import { familyOf, useSurvey } from './survey'

/** What can be taken hold of, by id: other hands may add to the lists and take from them meanwhile. */
type Grip =
  | { kind: 'tie'; id: string }
  | { kind: 'edge'; id: string; point: number }
  | { kind: 'tape'; id: string; end: 'a' | 'b' }
  | { kind: 'datum' }
  | { kind: 'horizon'; end: 0 | 1 | 'both' }
interface Line {
  a: Vec2
  b: Vec2
}
const SHORTEST = 6 // pixels of the screen; what is shorter was a click
const LABELS = {
  edge: 'Move an edge’s end',
  horizon: 'Move the horizon',
  tape: 'Move a tape’s end',
  datum: 'Move the datum',
  tie: 'Move a shared point',
}

/** `scale`: pixels of the screen a pixel of the photo; `idle`: whether nothing can be drawn at present. */
export function useTracing(scale: () => number, idle: () => boolean) {
  const survey = useSurvey()
  const {
    s,
    tool,
    chosen,
    selected,
    selectedIds,
    justDrawn,
    toggle,
    changeFound,
    kept,
    show,
    found,
    dropped,
    measuring,
  } = survey
  const { measure, trying, giveUp, keep, keepLaid, copy, tapeAsked } = survey
  const { ties, chosenTie, place, shift } = useJoining()
  let grip: Grip | null = null
  let drawing: (Line & { id: string }) | null = null
  const heldTie = ref<{ id: string; at: Vec2 } | null>(null)
  const ghost = ref<Line | null>(null)
  /** A box drawn with Shift held, which chooses the edges that it touches. */
  const box = ref<Line | null>(null)
  const hover = ref<Vec2 | null>(null)

  const onScreen = (pixels: number) => pixels / scale()
  const edgeAt = (p: Vec2) => under(kept.value!.edges, p, onScreen(7))
  function inside(p: Vec2): Vec2 {
    return [Math.min(Math.max(p[0], 0), s.photo!.width!), Math.min(Math.max(p[1], 0), s.photo!.height!)]
  }

  function* horizonGrips(v: Survey): Generator<[Vec2, Grip]> {
    const line = horizonOf(v, s.photo!)
    if (!line) return
    for (const end of [0, 1] as const) yield [line[end], { kind: 'horizon', end }]
    if (v.assumption) yield [middleOf(line), { kind: 'horizon', end: 'both' }]
  }
  /** Only what the tool at hand draws can be taken hold of, so that an edge may start at another's end. */
  function* grips(v: Survey): Generator<[Vec2, Grip]> {
    if (tool.value === 'tape')
      for (const t of v.lengths) for (const end of ['a', 'b'] as const) yield [t[end], { kind: 'tape', id: t.id, end }]
    else if (tool.value === 'horizon') yield* horizonGrips(v)
    else if (tool.value === 'datum') {
      if (v.datum) yield [v.datum, { kind: 'datum' }]
    } else if (tool.value === 'point')
      for (const t of ties.value) {
        const at = t.seen[s.photo!.id]
        if (at) yield [at as Vec2, { kind: 'tie', id: t.id }]
      }
    else
      for (const [i, e] of v.edges.entries()) {
        if (e.family && e.family !== familyOf(tool.value)) continue
        for (const [point, q] of e.points.entries()) {
          const end = point === 0 || point === e.points.length - 1
          if (end || chosen.value === i) yield [q as Vec2, { kind: 'edge', id: e.id, point }]
        }
      }
  }
  function pick(p: Vec2): Grip | null {
    let best: Grip | null = null
    let distance = onScreen(9)
    for (const [q, what] of grips(kept.value!)) {
      if (near(p, q) < distance) {
        distance = near(p, q)
        best = what
      }
    }
    return best
  }
  /** The survey with what is in hand at a pixel; null when it is gone. */
  function placed(p: Vec2): Survey | null {
    const next = copy()
    const g = grip
    if (g?.kind === 'edge') {
      const edge = next.edges.find((e) => e.id === g.id)
      if (!edge || g.point >= edge.points.length) return null
      edge.points[g.point] = p
      edge.found = false
    } else if (g?.kind === 'tape') {
      const tape = next.lengths.find((t) => t.id === g.id)
      if (!tape) return null
      tape[g.end] = p
    } else if (g?.kind === 'datum') next.datum = p
    else if (g?.kind === 'horizon') {
      const line = horizonOf(next, s.photo!)
      if (!line) return null
      setHorizon(next, movedHorizon(line, g.end, p))
    }
    return next
  }
  /** A tape follows the direction whose picture it lies nearest to. */
  function tapeDirection(a: Vec2, b: Vec2): Family {
    const r = s.photo?.result
    if (!r) return Math.abs(b[1] - a[1]) > Math.abs(b[0] - a[0]) ? 'rise' : 'run'
    const middle: Vec2 = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
    const along = Math.atan2(b[1] - a[1], b[0] - a[0])
    const off = (f: Family) => {
      const v = r.vanishing_points[f]
      return Math.abs(Math.sin(along - Math.atan2(v[1] - middle[1] * v[2], v[0] - middle[0] * v[2])))
    }
    return (['run', 'return', 'rise'] as Family[]).reduce((best, f) => (off(f) < off(best) ? f : best), 'rise')
  }
  /** The survey with what is being drawn, once it is long enough to mean something. */
  function withDrawn(): Survey | null {
    if (!drawing || near(drawing.a, drawing.b) < onScreen(SHORTEST)) return null
    const next = copy()
    const { id, a, b } = drawing
    const family = familyOf(tool.value)
    if (tool.value === 'tape') next.lengths.push({ id, a, b, direction: tapeDirection(a, b), metres: 1, sigma_m: null })
    else if (tool.value === 'horizon') setHorizon(next, [a, b])
    else if (family !== undefined) next.edges.push({ id, family, points: [a, b], found: false })
    return next
  }
  function dropFound(which: number[]) {
    changeFound(() => {
      const next = new Set(dropped.value)
      const out = which.some((i) => !next.has(i))
      for (const i of which) {
        if (out) next.add(i)
        else next.delete(i)
      }
      dropped.value = next
    })
  }

  function down(p: Vec2, event: PointerEvent) {
    if (idle()) return
    justDrawn.value = null
    if (event.shiftKey) {
      box.value = { a: inside(p), b: inside(p) }
      return
    }
    if (found.value) {
      const i = under(found.value.edges, p, onScreen(8))
      if (i !== null) dropFound([i])
      return
    }
    grip = pick(p)
    if (tool.value === 'point') {
      if (grip?.kind === 'tie') {
        chosenTie.value = grip.id
        heldTie.value = { id: grip.id, at: p }
      } else if (s.photo) void place(s.photo, inside(p))
      return
    }
    if (grip) {
      if (grip.kind === 'edge') selectedIds.value = [grip.id]
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
    drawing = { id: freshId(), a: inside(p), b: inside(p) }
  }
  function move(p: Vec2) {
    hover.value = p
    if (box.value) box.value = { ...box.value, b: inside(p) }
    else if (grip?.kind === 'tie') heldTie.value = { id: grip.id, at: inside(p) }
    else if (grip) {
      const next = placed(inside(p))
      if (next) trying(next)
      else gone()
    } else if (drawing) {
      drawing.b = inside(p)
      if (tool.value === 'measure') return measure(drawing.a, drawing.b)
      ghost.value = { a: drawing.a, b: drawing.b }
      const next = withDrawn()
      if (next && tool.value !== 'tape') trying(next)
    }
  }
  /** What was in hand has been removed elsewhere. */
  function gone() {
    drop()
    s.problem = 'What you took hold of has been removed elsewhere.'
  }
  /** A box chooses what it touches; a click with Shift held adds the edge under it, or takes it away. */
  function unbox(p: Vec2) {
    const { a } = box.value!
    box.value = null
    const edges = found.value?.edges ?? kept.value!.edges
    const clicked = near(a, p) < onScreen(SHORTEST)
    const one = clicked ? under(edges, p, onScreen(8)) : null
    const which = clicked ? (one === null ? [] : [one]) : within(edges, a, p)
    if (found.value) {
      if (which.length) dropFound(which)
    } else if (clicked) which.forEach(toggle)
    else selected.value = which
  }
  function letGo(g: Grip, p: Vec2, laying: boolean, reach: number) {
    if (g.kind === 'tie') {
      const was = ties.value.find((t) => t.id === g.id)?.seen[s.photo!.id] as Vec2 | undefined
      if (was && near(was, p) > onScreen(1.5)) void shift(g.id, s.photo!, inside(p))
      return drop()
    }
    const next = placed(inside(p))
    if (!next) return gone()
    const moved = JSON.stringify(next) !== JSON.stringify(kept.value)
    if (g.kind === 'edge' && laying && moved) void keepLaid(next, LABELS.edge, g.id, reach)
    else void keep(next, LABELS[g.kind])
    grip = null
  }
  function up(p: Vec2, event: PointerEvent) {
    if (box.value) return unbox(p)
    const laying = show.snap && !event.altKey
    const reach = onScreen(7)
    if (grip) return letGo(grip, p, laying, reach)
    if (!drawing) return
    drawing.b = inside(p)
    const next = tool.value === 'measure' ? null : withDrawn()
    const { id } = drawing
    const measured = tool.value === 'measure'
    drawing = null
    ghost.value = null
    if (measured) return
    if (!next) {
      giveUp()
      chosen.value = edgeAt(p)
      return
    }
    const edge = familyOf(tool.value) !== undefined
    const label = tool.value === 'tape' ? 'Lay a tape' : edge ? 'Trace an edge' : 'Draw the horizon'
    if (edge && laying) void keepLaid(next, label, id, reach)
    else void keep(next, label)
    if (edge) selectedIds.value = [id]
    if (edge) justDrawn.value = id
    if (tool.value === 'tape') tapeAsked.value = id
  }
  /** Give up what is in hand; all is as it was. */
  function drop() {
    grip = null
    drawing = null
    ghost.value = null
    box.value = null
    heldTie.value = null
    giveUp()
  }
  /** A further point on an edge, where the lens bends it. */
  function twice(p: Vec2) {
    const i = found.value || idle() ? null : edgeAt(p)
    if (i === null) return
    const next = copy()
    const points = next.edges[i].points as Vec2[]
    const off = (j: number) => near(p, points[j - 1]) + near(p, points[j]) - near(points[j - 1], points[j])
    const at = points.slice(1).reduce((best, _, j) => (off(j + 1) < off(best) ? j + 1 : best), 1)
    points.splice(at, 0, inside(p))
    chosen.value = i
    void keep(next, 'Add a point to an edge')
  }
  const rest = () => (hover.value = null)
  watch(() => s.photo?.id, drop)
  return { ghost, box, hover, heldTie, down, move, up, drop, twice, rest }
}
