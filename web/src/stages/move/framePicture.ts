/** The address of a frame as it would be delivered, smaller. */
import type { useShot } from '../../state/shot'

const STEP = 160 // pixels: a dragged bar does not ask for one picture after another
const MOST = 1280

/** `width`: of the place for it on the page; `more`: what else is asked of it. It changes with the shot. */
export function framePicture(s: ReturnType<typeof useShot>, frame: number, width: number, more: object = {}): string {
  const pixels = width * (window.devicePixelRatio || 1)
  const across = Math.min(MOST, STEP * Math.max(1, Math.ceil(pixels / STEP)))
  const query = { width: String(across), of: String(s.state!.revision), ...more }
  return `/api/shots/${s.id}/frames/${frame}/picture?${new URLSearchParams(query).toString()}`
}
