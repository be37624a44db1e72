/** What a plan shows: fitted once, then only grown. Areas are run and return in metres: [x0, z0, x1, z1]. */
import type { Shape } from '../api/client'

export type Area = [number, number, number, number]
export type Place = readonly number[] // run, rise, return

const NEAR = 70 // metres from the origin: what reaches farther is a ground or a backdrop, and would make all else tiny
const PAD = 2.5

export const around = (places: Place[]): Area | null =>
  places.length
    ? [
        Math.min(...places.map((p) => p[0])),
        Math.min(...places.map((p) => p[2])),
        Math.max(...places.map((p) => p[0])),
        Math.max(...places.map((p) => p[2])),
      ]
    : null
const wider = ([a, b, c, d]: Area): Area => [a - PAD, b - PAD, c + PAD, d + PAD]
const isNear = (shape: Shape) => shape.vertices.every((v) => Math.abs(v[0]) + Math.abs(v[2]) < NEAR)

/**
 * The area that a plan opens with: what stands near, or, where nothing does, all but the grounds; and some places
 * besides.
 */
export function fitted(shapes: Shape[], grounds: string[], places: Place[]): Area {
  const standing = shapes.filter((s) => !grounds.includes(s.id))
  const near = standing.filter(isNear)
  const all = [...(near.length ? near : standing).flatMap((s) => s.vertices as Place[]), ...places]
  return wider(around(all) ?? [-10, -10, 10, 10])
}

/** The area with what was just made in it; the very same one where that lies inside. */
export function grown(area: Area, shapes: Shape[], grounds: string[], places: Place[]): Area {
  const made = around([
    ...shapes.filter((s) => !grounds.includes(s.id)).flatMap((s) => s.vertices as Place[]),
    ...places,
  ])
  if (!made) return area
  const inside = made[0] >= area[0] && made[1] >= area[1] && made[2] <= area[2] && made[3] <= area[3]
  if (inside) return area
  const m = wider(made)
  return [Math.min(area[0], m[0]), Math.min(area[1], m[1]), Math.max(area[2], m[2]), Math.max(area[3], m[3])]
}

/** The outline in plan of some points, convex, so that a chosen piece can be taken hold of anywhere inside. */
export function hullOf(points: number[][]): number[][] {
  const p = [...points].sort((a, b) => a[0] - b[0] || a[2] - b[2])
  const half = (list: number[][]) => {
    const out: number[][] = []
    for (const q of list) {
      while (out.length > 1) {
        const [a, b] = [out[out.length - 2], out[out.length - 1]]
        if ((b[0] - a[0]) * (q[2] - a[2]) - (b[2] - a[2]) * (q[0] - a[0]) > 0) break
        out.pop()
      }
      out.push(q)
    }
    return out.slice(0, -1)
  }
  return [...half(p), ...half([...p].reverse())]
}

/** What a lens sees in plan: from its left border by where it stands to its right one, as places `reach` metres off. */
export function cone(position: Place, rotation: number[][], half: number, reach: number): number[][] {
  const side = (sign: number) => {
    const d = [rotation[2][0] + sign * half * rotation[0][0], rotation[2][2] + sign * half * rotation[0][2]]
    return [position[0] + d[0] * reach, 0, position[2] + d[1] * reach]
  }
  return [side(-1), [...position], side(1)]
}
