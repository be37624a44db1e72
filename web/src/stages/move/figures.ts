/** What a gesture or a figure changes of a camera: that alone is sent, whatever else has been changed by then. */
import type { FrameCamera, Schemas } from '../../api/client'
import { fromPanTiltRoll } from '../../board/camera'

export type KeyChange = Schemas['KeyChange']
export type KeyFigures = Partial<KeyChange>
export type Held = 'position' | 'rotation' | 'focal_px'
type Place = NonNullable<KeyChange['position']>
const FIGURES = ['pan_deg', 'tilt_deg', 'roll_deg', 'zoom'] as const
const SAME = 1e-9
const alike = (a: number, b: number) => Math.abs(a - b) < SAME

/** The figures of a camera that are not as they were shown. */
export function moved(wanted: FrameCamera, shown: FrameCamera): KeyFigures {
  const out: KeyFigures = {}
  const position = wanted.position.map((v, i) => (alike(v, shown.position[i]) ? null : v)) as Place
  if (position.some((v) => v !== null)) out.position = position
  for (const name of FIGURES) if (!alike(wanted[name], shown[name])) out[name] = wanted[name]
  return out
}
/** A camera with the figures that a change gives. */
export function posed(from: FrameCamera, change: KeyFigures): FrameCamera {
  const out = { ...from, position: [...from.position] as FrameCamera['position'] }
  change.position?.forEach((v, i) => {
    if (v !== null) out.position[i] = v
  })
  for (const name of FIGURES) out[name] = change[name] ?? from[name]
  out.focal_px = (from.focal_px * out.zoom) / from.zoom
  const turned = FIGURES.slice(0, 3).some((name) => !alike(out[name], from[name]))
  if (turned)
    out.rotation = fromPanTiltRoll(out.pan_deg, out.tilt_deg, out.roll_deg) as unknown as FrameCamera['rotation']
  return out
}
/** The values of the camera that a change sets, and its key holds from then on. */
export function holds(change: KeyFigures): Held[] {
  const turned = FIGURES.slice(0, 3).some((name) => change[name] !== undefined && change[name] !== null)
  return [
    ...(change.position ? (['position'] as const) : []),
    ...(turned ? (['rotation'] as const) : []),
    ...(change.zoom ? (['focal_px'] as const) : []),
  ]
}
