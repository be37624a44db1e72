/** One frame, whatever it is delivered at, as the server has it (`core/move/frame.py`). */
import type { Schemas, Vec2 } from '../../api/client'

type Delivery = Schemas['Delivery']
type Size = { width?: number | null; height?: number | null }
const SAME = 1e-9

/** What is delivered, at another size: the same frame over the photo; `framing`: where it lies, set or not. */
export function resized(was: Delivery, framing: Schemas['Framing'] | null, photo: Size | null, to: Vec2): Delivery {
  const [width, height] = to
  const now = { ...was, width, height }
  if (!framing || (!was.framing && width * was.height! === height * was.width!)) return now
  const [across, down] = [was.width! * framing.scale, was.height! * framing.scale]
  let scale = down / height
  const y = framing.centre[1]
  let x = framing.centre[0]
  const wide = photo?.width
  if (wide && width * scale > Math.max(across, wide) * (1 + SAME)) scale = Math.max(across, wide) / width
  if (wide && width * scale > across * (1 + SAME) && width * scale <= wide * (1 + SAME)) {
    const half = (width * scale) / 2
    x = Math.min(Math.max(x, half), wide - half)
  }
  return { ...now, framing: { scale, centre: [x, y] } }
}
/** Whether two sizes have the same aspect, to a pixel of their lesser side. */
export const alike = (a: Vec2, b: Vec2) =>
  Math.round((a[0] * b[1]) / a[1]) === b[0] || Math.round((a[1] * b[0]) / a[0]) === b[1]

/** The largest even size of the same aspect at which the photo is not enlarged. */
export function unenlarged(was: Delivery, scale: number): Vec2 {
  const part = Math.min(1, scale)
  return [Math.max(16, 2 * Math.floor((was.width! * part) / 2)), Math.max(16, 2 * Math.floor((was.height! * part) / 2))]
}

type Shot = Schemas['Shot']
const counted = (n: number, one: string, many: string) => (n ? [`${n} ${n === 1 ? one : many}`] : [])
/** What is set beyond a frame, as parts of a sentence. */
export function beyond(shot: Shot, last: number): string[] {
  const late = (frames: number[]) => frames.filter((f) => f > last).length
  const { keys, speed, carrier } = shot.move
  const moving = [...shot.solids.flatMap((x) => (x.motion ? [x.motion] : [])), ...shot.groups.map((g) => g.motion)]
  return [
    ...counted(speed ? 0 : late(keys.map((k) => k.frame)), 'key of the camera', 'keys of the camera'),
    ...counted(late((speed ?? []).map((h) => h[0])), 'handle of the pace', 'handles of the pace'),
    ...counted(late((carrier?.keys ?? []).map((k) => k.frame)), 'key of the carrier', 'keys of the carrier'),
    ...counted(late(moving.flatMap((m) => m.keys.map((k) => k.frame))), 'key of a piece', 'keys of pieces'),
    ...counted(
      late(shot.plates.flatMap((p) => (p.video ? [p.video.first] : []))),
      'start of a video',
      'starts of videos',
    ),
  ]
}
/** The last frame on which something of the move is set; the first where nothing is. */
export function endOf(shot: Shot, first: number): number {
  const { keys, speed, carrier } = shot.move
  const frames = [
    ...(speed ? speed.map((h) => h[0]) : keys.map((k) => k.frame)),
    ...(carrier?.keys ?? []).map((k) => k.frame),
  ]
  return Math.max(first, ...frames)
}
