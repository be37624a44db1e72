/** Edges on the photo: how long, what lies under a pixel, what lies in a box. */
import type { Edge, Vec2 } from '../../api/client'
import { near, onLine } from '../../board/lines'

export const lengthOf = (e: Edge) =>
  Math.hypot(e.points[e.points.length - 1][0] - e.points[0][0], e.points[e.points.length - 1][1] - e.points[0][1])
export const middleOf = (p: Vec2[]): Vec2 => [(p[0][0] + p[p.length - 1][0]) / 2, (p[0][1] + p[p.length - 1][1]) / 2]
/** Of some edges the one that passes under a pixel, within a reach in pixels. */
export function under(edges: Edge[], p: Vec2, reach: number): number | null {
  let best: number | null = null
  let least = reach
  edges.forEach((e, i) => {
    const off = near(p, onLine(e.points as Vec2[], p)[0])
    if (off < least) {
      least = off
      best = i
    }
  })
  return best
}
/** The edges that have a part inside a box of the picture. */
export function within(edges: Edge[], a: Vec2, b: Vec2): number[] {
  const [x0, x1, y0, y1] = [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])]
  return edges.flatMap((e, i) => {
    const p = e.points as Vec2[]
    const inside = p.some((q, j) => {
      const from = p[Math.max(j - 1, 0)]
      for (let k = 0; k <= 16; k++) {
        const at = [from[0] + ((q[0] - from[0]) * k) / 16, from[1] + ((q[1] - from[1]) * k) / 16]
        if (at[0] >= x0 && at[0] <= x1 && at[1] >= y0 && at[1] <= y1) return true
      }
      return false
    })
    return inside ? [i] : []
  })
}
