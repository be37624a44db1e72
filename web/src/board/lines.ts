/** Points and the lines through them, in pixels of the picture. */
import type { Vec2 } from '../api/client'

export const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1])
/** The place on a line through points nearest to a pixel, and the number of the point before which it lies. */
export function onLine(points: Vec2[], at: Vec2): [Vec2, number] {
  let best: [Vec2, number] = [points[0], 1]
  let least = Infinity
  for (let j = 1; j < points.length; j++) {
    const [a, b] = [points[j - 1], points[j]]
    const d = [b[0] - a[0], b[1] - a[1]]
    const t = Math.min(
      1,
      Math.max(0, ((at[0] - a[0]) * d[0] + (at[1] - a[1]) * d[1]) / Math.max(d[0] ** 2 + d[1] ** 2, 1e-9)),
    )
    const q: Vec2 = [a[0] + t * d[0], a[1] + t * d[1]]
    if (near(q, at) < least) {
      least = near(q, at)
      best = [q, j]
    }
  }
  return best
}
