/** The line that an outline's points make, as the core has it: curved about smooth points, straight between sharp. */
import type { Vec2 } from '../../api/client'
import { near } from '../../board/lines'

const SUBDIVIDED = 16 // straight pieces of a smooth line between two points
export type Smooth = boolean | boolean[]

export const softOf = (points: readonly Vec2[], smooth: Smooth | undefined): boolean[] =>
  Array.isArray(smooth) ? smooth : points.map(() => !!smooth)

const mirrored = (a: Vec2, b: Vec2): Vec2 => [2 * a[0] - b[0], 2 * a[1] - b[1]]

/** Points of the curve from p1 to before p2 (centripetal Catmull–Rom, by Barry and Goldman's pyramid). */
function between(p0: Vec2, p1: Vec2, p2: Vec2, p3: Vec2): Vec2[] {
  const step = (a: Vec2, b: Vec2) => Math.max(near(a, b), 1e-12) ** 0.5
  const t1 = step(p0, p1)
  const t2 = t1 + step(p1, p2)
  const t3 = t2 + step(p2, p3)
  return Array.from({ length: SUBDIVIDED }, (_, i) => {
    const s = t1 + ((t2 - t1) * i) / SUBDIVIDED
    const mix = (a: Vec2, b: Vec2, at: number, bt: number): Vec2 => {
      const k = (s - at) / (bt - at)
      return [a[0] + k * (b[0] - a[0]), a[1] + k * (b[1] - a[1])]
    }
    const [first, second, third] = [mix(p0, p1, 0, t1), mix(p1, p2, t1, t2), mix(p2, p3, t2, t3)]
    return mix(mix(first, second, 0, t2), mix(second, third, t1, t3), t1, t2)
  })
}

/** A closed line through points: of each of them the pieces that follow it. */
export function pieces(points: readonly Vec2[], smooth: Smooth | undefined): Vec2[][] {
  const soft = softOf(points, smooth)
  const n = points.length
  return points.map((a, i) => {
    const j = (i + 1) % n
    const b = points[j]
    if (!soft[i] && !soft[j]) return [a]
    const before = soft[i] ? points[(i + n - 1) % n] : mirrored(a, b)
    const after = soft[j] ? points[(j + 1) % n] : mirrored(b, a)
    return between(before, a, b, after)
  })
}
export const curve = (points: readonly Vec2[], smooth: Smooth | undefined) => pieces(points, smooth).flat()
