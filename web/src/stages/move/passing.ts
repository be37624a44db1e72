/** How keys are passed: by which velocity, and where its handles lie. */
import type { FrameCamera, Key, Vec3 } from '../../api/client'

export type Way = 'rest' | 'pass' | 'speed' | 'drawn'

export const length = (v: number[]) => Math.hypot(...v)
const times = (v: number[], k: number) => v.map((x) => x * k) as Vec3
const apart = (a: number[], b: number[]) => a.map((x, i) => x - b[i]) as Vec3

/** How a key is passed; `end`: whether it is the first or the last. */
export function wayOf(key: Key, end: boolean): Way {
  if (key.velocity) return 'drawn'
  if (key.speed) return 'speed'
  return key.ease === 'rest' || end ? 'rest' : 'pass'
}

/** Metres a frame at which the camera passes a key: as it says, or as the path has it there. */
export function velocityAt(key: Key, cameras: FrameCamera[]): Vec3 {
  if (key.velocity) return key.velocity as Vec3
  const i = cameras.findIndex((c) => c.frame === key.frame)
  const [before, here, after] = [cameras[i - 1], cameras[i], cameras[i + 1]]
  if (!here) return [0, 0, 0]
  if (before && after) return times(apart(after.position, before.position), 0.5)
  // at an end, from the rise of the first step: s = v + a / 2, with the second step's
  const step = before ? -1 : 1
  const second = cameras[i + 2 * step]
  if (!second) return [0, 0, 0]
  const [one, two] = [apart((after ?? before)!.position, here.position), apart(second.position, here.position)]
  const v = one.map((x, n) => (4 * x - two[n]) / 2) as Vec3
  return length(v) < 0.2 * length(one) ? [0, 0, 0] : times(v, step)
}

/** Frames that a handle reaches before and after a key: a third of the way to its neighbours; null at an end. */
export function reaches(keys: Key[], frame: number): { back: number | null; ahead: number | null } {
  const i = keys.findIndex((k) => k.frame === frame)
  const to = (k?: Key) => (k ? Math.abs(k.frame - frame) / 3 : null)
  return { back: to(keys[i - 1]), ahead: to(keys[i + 1]) }
}

/** The end of a handle, so many frames from a key; of a key at rest, a little way towards the neighbour. */
export function tip(key: Key, velocity: Vec3, frames: number, neighbour: number[]): Vec3 {
  if (length(velocity) < 1e-9) return key.position.map((x, i) => x + 0.12 * (neighbour[i] - x)) as Vec3
  return key.position.map((x, i) => x + velocity[i] * frames) as Vec3
}
