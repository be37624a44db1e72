/** A piece's motion as its figures say it. */
import type { Schemas } from '../../api/client'
import { progressAt, slopes, type Curve } from '../../strip/pace'

export type Motion = Schemas['Motion']
export type MotionKey = Schemas['MotionKey']
export const REST: Motion = { keys: [], pivot: null, drift: [0, 0, 0], faces_lens: 'no', rides: false }
const STILL: MotionKey = {
  frame: 0,
  offset: [0, 0, 0],
  rotation: [1, 0, 0, 0],
  scale: 1,
  opacity: 1,
  ease: null,
  speed: null,
}

export const AXES = ['run', 'rise', 'return']
interface Framed {
  frame: number
}
/** How a key is passed: at rest, through, at a speed in metres a frame; neither: never beyond its neighbours. */
export interface Eased extends Framed {
  ease?: 'rest' | 'pass' | null
  speed?: number | null
}
type Turn = [number, number, number, number]
/** The figures of a key, of which the first three are a place, and how it is passed. */
type Figures<K> = (k: K) => number[]
const EVEN = 3 // figures that are a place in metres: a speed is theirs

/** The slope of the parabola through the neighbours; at either end, towards the next key (as `curves.py` has it). */
function passing(frames: number[], values: number[], i: number): number {
  const step = (j: number) => (values[j + 1] - values[j]) / (frames[j + 1] - frames[j])
  if (i === 0) return step(0)
  if (i === frames.length - 1) return step(i - 1)
  const [before, after] = [frames[i] - frames[i - 1], frames[i + 1] - frames[i]]
  return (after * step(i - 1) + before * step(i)) / (before + after)
}
/** Figures of keys at a frame, as the engine has them. */
function through<K extends Eased>(keys: K[], frame: number, figures: Figures<K>): number[] {
  const last = keys.length - 1
  if (last < 1 || frame <= keys[0].frame) return figures(keys[0])
  if (frame >= keys[last].frame) return figures(keys[last])
  const frames = keys.map((k) => k.frame)
  const values = keys.map(figures)
  const columns = values[0].map((_, c) => values.map((v) => v[c]))
  const even = columns.map((v) => slopes(v.map((p, n) => [frames[n], p]) as Curve))
  const slope = (n: number): number[] => {
    const { ease, speed } = keys[n]
    if (ease === 'rest') return columns.map(() => 0)
    const out = columns.map((v, c) => (ease === 'pass' || speed ? passing(frames, v, n) : even[c][n]))
    const length = Math.hypot(...out.slice(0, EVEN))
    return speed && length > 0 ? out.map((m, c) => (c < EVEN ? (m * speed) / length : m)) : out
  }
  const i = keys.findIndex((k) => k.frame > frame) - 1
  const [m0, m1] = [slope(i), slope(i + 1)]
  const h = frames[i + 1] - frames[i]
  const t = (frame - frames[i]) / h
  const [t2, t3] = [t * t, t * t * t]
  return columns.map(
    (v, c) =>
      (2 * t3 - 3 * t2 + 1) * v[i] +
      (t3 - 2 * t2 + t) * h * m0[c] +
      (3 * t2 - 2 * t3) * v[i + 1] +
      (t3 - t2) * h * m1[c],
  )
}
/** The turn of keys at a frame: evenly along the shorter arc between two of them, gently from and to a rest. */
function turnThrough<K extends Eased & { rotation?: number[] }>(keys: K[], frame: number): Turn {
  const own = (k: K) => (k.rotation ?? [1, 0, 0, 0]) as Turn
  const after = keys.findIndex((k) => k.frame > frame)
  if (after === 0) return own(keys[0])
  if (after < 0) return own(keys[keys.length - 1])
  const [a, to] = [own(keys[after - 1]), own(keys[after])]
  const even = (frame - keys[after - 1].frame) / (keys[after].frame - keys[after - 1].frame)
  const [leave, arrive] = [keys[after - 1], keys[after]].map((k) => (k.ease === 'rest' ? 0 : 1))
  const [t2, t3] = [even ** 2, even ** 3]
  const t = 3 * t2 - 2 * t3 + leave * (t3 - 2 * t2 + even) + arrive * (t3 - t2)
  const cos = a.reduce((sum, v, i) => sum + v * to[i], 0)
  const b = cos < 0 ? to.map((v) => -v) : to
  const angle = Math.acos(Math.min(1, Math.abs(cos)))
  const [p, q] =
    angle < 1e-6 ? [1 - t, t] : [Math.sin((1 - t) * angle), Math.sin(t * angle)].map((v) => v / Math.sin(angle))
  return a.map((v, i) => p * v + q * b[i]) as Turn
}
const three = (of: number[]) => of.slice(0, 3) as [number, number, number]
/** How the key on a frame is passed; a new one: as its neighbours have it. */
const howPassed = (keys: Eased[], frame: number) => {
  const own = keys.find((k) => k.frame === frame)
  return { ease: own?.ease ?? null, speed: own?.speed ?? null }
}
/** What a carrier's keys have at a frame: a new key there begins from it. */
export function ridden(keys: Schemas['CarrierKey'][], frame: number, still: Schemas['CarrierKey']) {
  if (!keys.length) return { ...still, frame }
  const position = three(through(keys, frame, (k) => k.position))
  return { frame, position, rotation: turnThrough(keys, frame), ...howPassed(keys, frame) }
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
  const placed = through(keys, frame, (k) => [...k.offset, Math.log(k.scale)])
  return {
    frame,
    offset: three(placed),
    rotation: turnThrough(keys, frame),
    scale: Math.exp(placed[3]),
    opacity: keys.length < 2 ? keys[0].opacity : progressAt(keys.map((k) => [k.frame, k.opacity]) as Curve, frame),
    ...howPassed(keys, frame),
  }
}
/** Degrees about Rise of a quaternion w, x, y, z. */
export const aboutRise = (q: number[]) => (2 * Math.atan2(q[2], q[0]) * 180) / Math.PI
export const turned = (degrees: number): [number, number, number, number] => {
  const half = (degrees * Math.PI) / 360
  return [Math.cos(half), 0, Math.sin(half), 0]
}
