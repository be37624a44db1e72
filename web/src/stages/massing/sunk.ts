/** How far a piece lies under the ground: what is under it is not seen. */
import type { Solid, Vec3 } from '../../api/client'

type Ground = Extract<Solid, { kind: 'ground' }>
export const SHOWS = 0.005 // metres: less is not seen

/** The rise of a ground at a place; null where it does not reach. */
export function levelAt(ground: Ground, run: number, back: number): number | null {
  const [x, z] = [run - ground.centre[0], back - ground.centre[1]]
  const profile = ground.profile ?? []
  const rise = ground.height ?? 0
  const reaches = (off: number, size: number) => Math.abs(off) <= size / 2
  if (!profile.length) return reaches(x, ground.size[0]) && reaches(z, ground.size[1]) ? rise : null
  const [along, aside, width] = ground.along === 'run' ? [x, z, ground.size[1]] : [z, x, ground.size[0]]
  const i = profile.findIndex((p) => p[0] >= along)
  if (!reaches(aside, width) || i < 0 || (i === 0 && profile[0][0] > along)) return null
  if (i === 0) return rise + profile[0][1]
  const [[a, p], [b, q]] = [profile[i - 1], profile[i]]
  return rise + (b > a ? p + ((q - p) * (along - a)) / (b - a) : q)
}

/** How far the lowest corner of a piece lies under the highest ground above it, and that ground's rise there. */
export function sunk(corners: readonly Vec3[], solids: readonly Solid[]): { by: number; level: number } | null {
  let found: { by: number; level: number } | null = null
  for (const [run, rise, back] of corners)
    for (const ground of solids) {
      if (ground.kind !== 'ground' || ground.in_set === false) continue
      const level = levelAt(ground as Ground, run, back)
      const by = level === null ? 0 : level - rise
      if (by > SHOWS && by > (found?.by ?? 0)) found = { by, level: level! }
    }
  return found
}
