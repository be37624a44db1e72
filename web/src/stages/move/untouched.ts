/** What a gesture leaves as it was: a camera's figures go out whole, and some may have been changed by then. */
import type { Key } from '../../api/client'
import { panTiltRoll } from '../../board/camera'

export interface Figures {
  position: number[]
  pan_deg: number
  tilt_deg: number
  roll_deg: number
  zoom: number
}
const SAME = 1e-9
const alike = (a: number, b: number) => Math.abs(a - b) < SAME

/**
 * The figures to be sent when their turn comes: those that the hand has changed from what it was shown, and beside them
 * the key's own as they are `now`. An undo that was asked for just before the gesture counts, though its answer came
 * when the hand held the camera already. What the key leaves to others is as it was shown.
 */
export function withUntouched<F extends Figures>(wanted: F, shown: Figures, now: Key): F {
  const [pan_deg, tilt_deg, roll_deg] = panTiltRoll(now.rotation as number[])
  const free = now.free ?? []
  const aimed =
    free.includes('rotation') || (['pan_deg', 'tilt_deg', 'roll_deg'] as const).some((a) => !alike(wanted[a], shown[a]))
  const own = (v: number, i: number) => alike(v, shown.position[i]) && !free.includes('position')
  return {
    ...wanted,
    position: wanted.position.map((v, i) => (own(v, i) ? now.position[i] : v)),
    ...(aimed ? {} : { pan_deg, tilt_deg, roll_deg }),
    zoom: alike(wanted.zoom, shown.zoom) && !free.includes('focal_px') ? now.zoom : wanted.zoom,
  }
}
