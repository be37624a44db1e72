/** A piece's motion as its figures say it. */
import type { Schemas } from '../../api/client'

export type Motion = Schemas['Motion']
export type MotionKey = Schemas['MotionKey']
export const REST: Motion = { keys: [], pivot: null, drift: [0, 0, 0], faces_lens: 'no', rides: false }
const STILL: MotionKey = { frame: 0, offset: [0, 0, 0], rotation: [1, 0, 0, 0], scale: 1, opacity: 1 }

/** Where its keys put it at a frame: of a frame between keys the nearer one, which a new key there begins from. */
export function at(motion: Motion | null, frame: number): MotionKey {
  const keys = motion?.keys ?? []
  if (!keys.length) return { ...STILL, frame }
  const nearest = keys.reduce((a, b) => (Math.abs(b.frame - frame) < Math.abs(a.frame - frame) ? b : a))
  return { ...nearest, frame }
}
/** Degrees about Rise of a quaternion w, x, y, z. */
export const aboutRise = (q: number[]) => (2 * Math.atan2(q[2], q[0]) * 180) / Math.PI
export const turned = (degrees: number): [number, number, number, number] => {
  const half = (degrees * Math.PI) / 360
  return [Math.cos(half), 0, Math.sin(half), 0]
}
