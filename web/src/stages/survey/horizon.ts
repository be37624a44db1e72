/** The horizon: seen and traced, or assumed and dragged. */
import type { Survey, Vec2 } from '../../api/client'
import { middleOf } from './edges'

type Line = [Vec2, Vec2]

/** The horizon that is drawn by hand: an assumed one lies at half height until it is moved. */
export function horizonOf(v: Survey, photo: { width?: number | null; height?: number | null }): Line | null {
  if (v.horizon) return v.horizon as Line
  if (!v.assumption) return null
  const y = photo.height! / 2
  return (
    (v.assumption.horizon as Line | null) ?? [
      [0, y],
      [photo.width!, y],
    ]
  )
}
/** Put a horizon where it belongs: what is assumed stays said to be so. */
export function setHorizon(v: Survey, line: Line) {
  if (v.assumption && !v.horizon) v.assumption = { ...v.assumption, horizon: line }
  else v.horizon = line
}
/** A horizon with one end at a pixel, or all of it moved so that its middle is as high as that. */
export function movedHorizon(line: Line, end: 0 | 1 | 'both', p: Vec2): Line {
  if (end !== 'both') return end === 0 ? [p, line[1]] : [line[0], p]
  const by = p[1] - middleOf(line)[1]
  return [
    [line[0][0], line[0][1] + by],
    [line[1][0], line[1][1] + by],
  ]
}
