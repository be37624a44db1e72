/** A curve of progress (0…1) over frames, by its handles. */
export type Curve = [number, number][]
const APART = 1 // frames between two handles, at least
const SAME = 1e-7 // frames that figures lose on their way

/** A curve with one of its inner handles put somewhere else: between its neighbours, never back. */
export function dragged(curve: Curve, i: number, to: [number, number]): Curve {
  const [before, after] = [curve[i - 1], curve[i + 1]]
  const frame = Math.min(after[0] - APART, Math.max(before[0] + APART, to[0]))
  const progress = Math.min(after[1], Math.max(before[1], to[1]))
  return curve.map((h, j) => (j === i ? [round(frame, 10), round(progress, 1000)] : h))
}
/** A curve with a handle more; where there is no room for one, the curve as it was. */
export function withHandle(curve: Curve, at: [number, number]): Curve {
  const i = curve.findIndex((h) => h[0] > at[0])
  if (i < 1 || at[0] - curve[i - 1][0] < APART || curve[i][0] - at[0] < APART) return curve
  const grown: Curve = [...curve.slice(0, i), at, ...curve.slice(i)]
  return dragged(grown, i, at)
}
const round = (v: number, by: number) => Math.round(v * by) / by

/** Slopes at the handles as SciPy's PCHIP has them (Fritsch and Butland 1984): the curve never overshoots. */
export function slopes(curve: Curve): number[] {
  const h = curve.slice(1).map((c, i) => c[0] - curve[i][0])
  const d = curve.slice(1).map((c, i) => (c[1] - curve[i][1]) / h[i])
  const n = curve.length
  if (n === 2) return [d[0], d[0]]
  const inner = (i: number) => {
    if (d[i - 1] * d[i] <= 0) return 0
    const [w1, w2] = [2 * h[i] + h[i - 1], h[i] + 2 * h[i - 1]]
    return (w1 + w2) / (w1 / d[i - 1] + w2 / d[i])
  }
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if (m * d0 <= 0) return 0
    return d0 * d1 <= 0 && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m
  }
  const last = n - 2
  return curve.map((_, i) =>
    i === 0 ? end(h[0], h[1], d[0], d[1]) : i === n - 1 ? end(h[last], h[last - 1], d[last], d[last - 1]) : inner(i),
  )
}
/** The progress that a curve has by a frame, as the engine travels by it; before and after its ends it stands. */
export function progressAt(curve: Curve, frame: number): number {
  const last = curve.length - 1
  if (frame <= curve[0][0]) return curve[0][1]
  if (frame >= curve[last][0]) return curve[last][1]
  const i = curve.findIndex((h) => h[0] > frame) - 1
  const m = slopes(curve)
  const [[f0, p0], [f1, p1]] = [curve[i], curve[i + 1]]
  const [h, t] = [f1 - f0, (frame - f0) / (f1 - f0)]
  const [t2, t3] = [t * t, t * t * t]
  return (2 * t3 - 3 * t2 + 1) * p0 + (t3 - 2 * t2 + t) * h * m[i] + (3 * t2 - 2 * t3) * p1 + (t3 - t2) * h * m[i + 1]
}
/** A move's keys, in the order of their own time, and the pace that lies over them, if one does. */
interface Timed<K extends { frame: number }> {
  keys: K[]
  speed?: unknown
}
const paceOver = (move: Timed<{ frame: number }>) =>
  move.keys.length > 1 ? ((move.speed ?? null) as Curve | null) : null

/** Which frame of the keys' own time a frame shows, under a pace or without. */
export function ownTime(move: Timed<{ frame: number }>, frame: number): number {
  const curve = paceOver(move)
  if (!curve) return frame
  const [first, last] = [move.keys[0].frame, move.keys[move.keys.length - 1].frame]
  return first + Math.min(1, Math.max(0, progressAt(curve, frame))) * (last - first)
}
/** The key that a frame shows: one that passes within half a frame of it, the nearest of them. */
export function keyShown<K extends { frame: number }>(move: Timed<K>, frame: number): K | null {
  if (!paceOver(move)) return move.keys.find((k) => k.frame === frame) ?? null
  const [at, low, high] = [frame, frame - 0.5, frame + 0.5].map((f) => ownTime(move, f))
  const passing = move.keys.filter((k) => low - SAME <= k.frame && k.frame <= high + SAME)
  return passing.sort((a, b) => Math.abs(a.frame - at) - Math.abs(b.frame - at))[0] ?? null
}
/** Where between frames a key of its own time is shown first; the last frame where the curve never gets there. */
export function shownAt(move: Timed<{ frame: number }>, own: number): number {
  const curve = paceOver(move)
  if (!curve) return own
  let [low, high] = [curve[0][0], curve[curve.length - 1][0]]
  for (let i = 0; i < 40 && high - low > 1e-6; i++) {
    const middle = (low + high) / 2
    if (ownTime(move, middle) < own - SAME) low = middle
    else high = middle
  }
  return high
}
/** The frame on which a key is shown: under a pace another one than that of its own time. */
export const shownOf = (move: Timed<{ frame: number }>, own: number) => Math.round(shownAt(move, own))

/** The curve as an SVG path of cubic pieces. */
export function curvePath(curve: Curve, x: (frame: number) => number, y: (progress: number) => number): string {
  const m = slopes(curve)
  const point = (f: number, p: number) => `${x(f).toFixed(1)} ${y(p).toFixed(1)}`
  return curve
    .map(([f, p], i) => {
      if (!i) return `M${point(f, p)}`
      const [f0, p0] = curve[i - 1]
      const third = (f - f0) / 3
      return `C${point(f0 + third, p0 + m[i - 1] * third)} ${point(f - third, p - m[i] * third)} ${point(f, p)}`
    })
    .join('')
}
