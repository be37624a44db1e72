/** A piece's motion as its figures say it. */
import type { Schemas } from '../../api/client'

export type Motion = Schemas['Motion']
export type MotionKey = Schemas['MotionKey']
export const REST: Motion = { keys: [], pivot: null, drift: [0, 0, 0], faces_lens: 'no', rides: false }
const STILL: MotionKey = { frame: 0, offset: [0, 0, 0], rotation: [1, 0, 0, 0], scale: 1, opacity: 1 }

export const AXES = ['run', 'rise', 'return']
interface Framed {
  frame: number
}
/** The key on a frame, or the nearest one, which a new key there begins from; `still` where there is none. */
export const nearest = <K extends Framed>(keys: K[], frame: number, still: K): K => ({
  ...keys.reduce((a, b) => (Math.abs(b.frame - frame) < Math.abs(a.frame - frame) ? b : a), keys[0] ?? still),
  frame,
})
/** Keys without that of a frame; with another one in its place, in order. */
export const keysWithout = <K extends Framed>(keys: K[], frame: number) => keys.filter((k) => k.frame !== frame)
export const keysWith = <K extends Framed>(keys: K[], key: K) =>
  [...keysWithout(keys, key.frame), key].sort((a, b) => a.frame - b.frame)
/** Three figures with one of them another. */
export const replaced = (of: number[], i: number, v: number) =>
  of.map((x, j) => (j === i ? v : x)) as [number, number, number]
/** Where its keys put it at a frame, or at the nearest that has one. */
export const at = (motion: Motion | null, frame: number): MotionKey => nearest(motion?.keys ?? [], frame, STILL)
/** Degrees about Rise of a quaternion w, x, y, z. */
export const aboutRise = (q: number[]) => (2 * Math.atan2(q[2], q[0]) * 180) / Math.PI
export const turned = (degrees: number): [number, number, number, number] => {
  const half = (degrees * Math.PI) / 360
  return [Math.cos(half), 0, Math.sin(half), 0]
}
