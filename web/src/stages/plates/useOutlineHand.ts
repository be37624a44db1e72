/** What the hand does to an outline's points: takes them, moves them, puts in and removes; holes as well. */
import { computed, ref, type ComputedRef, type Ref } from 'vue'
import type { Plate, Vec2 } from '../../api/client'
import { near, onLine } from '../../board/lines'
import type { useShot } from '../../state/shot'
import { curve, pieces, softOf } from './curve'
import { spliced } from './outline'
import { changeStep, openStep, removeStep, type Step } from './steps'

type OutlineStep = Extract<Step, { do: 'outline' }>
export type Loop = OutlineStep['loops'][number]
/** A point of a loop in hand, the step as it is with it, but for its place, and as it was when it was taken. */
interface Grip {
  plate: string
  step: OutlineStep
  loop: number
  index: number
  at: Vec2
  was: OutlineStep
}
/** More points than this are shown near the pointer only: the picture is what is looked at. */
const MOST = 60
/** How near, in reaches of the hand. */
const ABOUT = 10
/** How far a point is dragged at least, in reaches. */
const LEAST = 1 / 9

/** Of many points those near a place, the nearest first, and of those that lie in one another's reach one. */
export function thinned(points: Vec2[], at: Vec2, reach: number) {
  const about = points.filter((p) => near(p, at) < ABOUT * reach).sort((a, b) => near(a, at) - near(b, at))
  return about.reduce<Vec2[]>((kept, p) => (kept.some((q) => near(p, q) < reach) ? kept : [...kept, p]), [])
}
/** A loop with points put in or taken out at a place; the others stay as smooth as they are. */
export function reshaped(loop: Loop, at: number, without: number, ...points: Vec2[]): Loop {
  const sharp = points.map(() => false)
  const smooth = Array.isArray(loop.smooth) ? spliced(loop.smooth, at, without, ...sharp) : loop.smooth
  return { points: spliced(loop.points as Vec2[], at, without, ...points), smooth }
}
/** A loop whose point at a place is smooth where it was sharp, and sharp where it was smooth; the others stay. */
export function softened(loop: Loop, at: number): Loop {
  const soft = softOf(loop.points as Vec2[], loop.smooth)
  return { ...loop, smooth: soft.map((x, i) => (i === at ? !x : x)) }
}
/** The point that was taken last, by its plate, step, loop and place: what its own field is of. */
export const takenLast = ref<{ plate: string; step: string; loop: number; index: number } | null>(null)
const withLoop = (step: OutlineStep, at: number, loop: Loop): OutlineStep => ({
  ...step,
  loops: spliced(step.loops, at, 1, loop),
})
/** A step with the point that a hand holds where the hand is. */
const moved = (g: Grip) => {
  const loop = g.step.loops[g.loop]
  return withLoop(g.step, g.loop, { ...loop, points: spliced(loop.points as Vec2[], g.index, 1, g.at) })
}

/** ``shown``: the plate on the board; ``reach``: photo pixels within which a press takes hold. */
export function useOutlineHand(
  s: ReturnType<typeof useShot>,
  shown: ComputedRef<Plate | null>,
  hover: Ref<Vec2 | null>,
  reach: () => number,
) {
  const grip = ref<Grip | null>(null)
  /** The outline that is worked on: the open step, or the plate's first one. */
  const step = computed(() => {
    const all = (shown.value?.steps ?? []).filter((x): x is OutlineStep => x.do === 'outline')
    return all.find((x) => x.id === openStep.value) ?? all[0] ?? null
  })
  const loops = computed(() => {
    const now = grip.value ? moved(grip.value) : step.value
    return (now?.loops ?? []).map((l) => l.points as Vec2[])
  })
  /** The lines that they make. */
  const curves = computed(() => {
    const now = grip.value ? moved(grip.value) : step.value
    return (now?.loops ?? []).map((l) => curve(l.points as Vec2[], l.smooth))
  })
  /** Whether a point is smooth. */
  function isSoft(p: Vec2): boolean {
    const now = grip.value?.step ?? step.value
    return (now?.loops ?? []).some((l, n) => {
      const i = loops.value[n]?.findIndex((q) => q[0] === p[0] && q[1] === p[1]) ?? -1
      return i >= 0 && softOf(l.points as Vec2[], l.smooth)[i]
    })
  }
  /** The points that can be taken hold of, all or those near the pointer. */
  const points = computed(() => {
    const all = loops.value.flat()
    const at = hover.value
    if (all.length <= MOST) return all
    return at ? thinned(all, at, reach()) : []
  })
  /** The loop and the place in it of the point under a place. */
  function under(p: Vec2): [number, number] | null {
    const away = loops.value.flatMap((loop, l) => loop.map((q, i) => [near(p, q), l, i] as const))
    const [least, l, i] = away.reduce((best, x) => (x[0] < best[0] ? x : best), [reach(), -1, -1] as const)
    return least < reach() ? [l, i] : null
  }
  const send = (changed: OutlineStep) => void changeStep(s, shown.value!.id, changed)
  function down(p: Vec2) {
    const found = under(p)
    if (!found || !step.value) return
    const plate = shown.value!.id
    grip.value = { plate, step: step.value, loop: found[0], index: found[1], at: p, was: step.value }
    takenLast.value = { plate, step: step.value.id, loop: found[0], index: found[1] }
  }
  /** The point in hand, or the one under the pointer, smooth or sharp: its own, no other's. */
  function soften() {
    const g = grip.value
    if (g) {
      const loop = softened(g.step.loops[g.loop], g.index)
      grip.value = { ...g, step: withLoop(g.step, g.loop, loop) }
      return
    }
    const found = hover.value && under(hover.value)
    const now = step.value
    if (!found || !now) return
    takenLast.value = { plate: shown.value!.id, step: now.id, loop: found[0], index: found[1] }
    send(withLoop(now, found[0], softened(now.loops[found[0]], found[1])))
  }
  function move(p: Vec2) {
    if (grip.value) grip.value = { ...grip.value, at: p }
  }
  function up() {
    const g = grip.value
    grip.value = null
    if (!g) return
    const away = near(g.at, g.step.loops[g.loop].points[g.index] as Vec2) >= LEAST * reach()
    if (away) void changeStep(s, g.plate, moved(g), g.was)
    else if (g.step !== g.was) void changeStep(s, g.plate, g.step, g.was)
  }
  /** A point more, on the line under a place. */
  function put(p: Vec2) {
    const now = step.value
    if (!now) return
    const lines = curves.value.map((loop) => onLine([...loop, loop[0]], p))
    const away = lines.map(([place]) => near(place, p))
    const l = away.indexOf(Math.min(...away))
    if (away[l] >= reach()) return
    const of = pieces(now.loops[l].points as Vec2[], now.loops[l].smooth).flatMap((part, i) => part.map(() => i))
    send(withLoop(now, l, reshaped(now.loops[l], of[lines[l][1] - 1] + 1, 0, p)))
  }
  /** The point under the pointer goes; with a hole's third one the hole does. */
  function take() {
    const now = step.value
    const found = hover.value && under(hover.value)
    if (!now || !found) return
    const [l, i] = found
    if (now.loops[l].points.length > 3) return send(withLoop(now, l, reshaped(now.loops[l], i, 1)))
    if (now.loops.length > 1) return send({ ...now, loops: spliced(now.loops, l, 1) })
    if (shown.value!.steps.length > 1) void removeStep(s, shown.value!.id, now.id)
  }
  return {
    grip,
    step,
    loops,
    curves,
    isSoft,
    points,
    down,
    move,
    up,
    put,
    take,
    soften,
    drop: () => (grip.value = null),
  }
}
