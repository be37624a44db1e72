/** A piece's motion as its figures say it. */
import type { Schemas } from '../../api/client'
import { progressAt, type Curve } from '../../strip/pace'

export type Motion = Schemas['Motion']
export type MotionKey = Schemas['MotionKey']
export const REST: Motion = { keys: [], pivot: null, drift: [0, 0, 0], faces_lens: 'no', rides: false }
const STILL: MotionKey = { frame: 0, offset: [0, 0, 0], rotation: [1, 0, 0, 0], scale: 1, opacity: 1 }

export const AXES = ['run', 'rise', 'return']
interface Framed {
  frame: number
}
type Turn = [number, number, number, number]
/** A value of keys at a frame, as the engine has it: smooth, never beyond its neighbours (PCHIP). */
function through<K extends Framed>(keys: K[], frame: number, value: (k: K) => number): number {
  return keys.length < 2 ? value(keys[0]) : progressAt(keys.map((k) => [k.frame, value(k)]) as Curve, frame)
}
/** The turn of keys at a frame: evenly along the shorter arc between two of them. */
function turnThrough<K extends Framed & { rotation?: number[] }>(keys: K[], frame: number): Turn {
  const own = (k: K) => (k.rotation ?? [1, 0, 0, 0]) as Turn
  const after = keys.findIndex((k) => k.frame > frame)
  if (after === 0) return own(keys[0])
  if (after < 0) return own(keys[keys.length - 1])
  const [a, to] = [own(keys[after - 1]), own(keys[after])]
  const t = (frame - keys[after - 1].frame) / (keys[after].frame - keys[after - 1].frame)
  const cos = a.reduce((sum, v, i) => sum + v * to[i], 0)
  const b = cos < 0 ? to.map((v) => -v) : to
  const angle = Math.acos(Math.min(1, Math.abs(cos)))
  const [p, q] =
    angle < 1e-6 ? [1 - t, t] : [Math.sin((1 - t) * angle), Math.sin(t * angle)].map((v) => v / Math.sin(angle))
  return a.map((v, i) => p * v + q * b[i]) as Turn
}
const three = <K extends Framed>(keys: K[], frame: number, of: (k: K) => number[]) =>
  [0, 1, 2].map((i) => through(keys, frame, (k) => of(k)[i])) as [number, number, number]
/** What a carrier's keys have at a frame: a new key there begins from it. */
export function ridden(keys: Schemas['CarrierKey'][], frame: number, still: Schemas['CarrierKey']) {
  if (!keys.length) return { ...still, frame }
  return { frame, position: three(keys, frame, (k) => k.position), rotation: turnThrough(keys, frame) }
}
/** Keys without that of a frame; with another one in its place, in order. */
export const keysWithout = <K extends Framed>(keys: K[], frame: number) => keys.filter((k) => k.frame !== frame)
export const keysWith = <K extends Framed>(keys: K[], key: K) =>
  [...keysWithout(keys, key.frame), key].sort((a, b) => a.frame - b.frame)
/** Three figures with one of them another. */
export const replaced = (of: number[], i: number, v: number) =>
  of.map((x, j) => (j === i ? v : x)) as [number, number, number]
/** Where its keys put it at a frame: a new key there begins from it. */
export function at(motion: Motion | null, frame: number): MotionKey {
  const keys = motion?.keys ?? []
  if (!keys.length) return { ...STILL, frame }
  return {
    frame,
    offset: three(keys, frame, (k) => k.offset),
    rotation: turnThrough(keys, frame),
    scale: Math.exp(through(keys, frame, (k) => Math.log(k.scale))),
    opacity: through(keys, frame, (k) => k.opacity),
  }
}
/** Degrees about Rise of a quaternion w, x, y, z. */
export const aboutRise = (q: number[]) => (2 * Math.atan2(q[2], q[0]) * 180) / Math.PI
export const turned = (degrees: number): [number, number, number, number] => {
  const half = (degrees * Math.PI) / 360
  return [Math.cos(half), 0, Math.sin(half), 0]
}
