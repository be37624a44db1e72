/** A face squared up: between its metres, pixels of its picture, and pixels of the photo. */
import type { Schemas, Vec2 } from '../../api/client'

export type FacePlane = Schemas['FacePlane']

const through = (m: number[][], [x, y]: Vec2): Vec2 => {
  const [u, v, w] = m.map((r) => r[0] * x + r[1] * y + r[2])
  return [u / w, v / w]
}
function inverse(m: number[][]): number[][] {
  const [[a, b, c], [d, e, f], [g, h, i]] = m
  const [A, B, C] = [e * i - f * h, f * g - d * i, d * h - e * g]
  const det = a * A + b * B + c * C
  return [
    [A / det, (c * h - b * i) / det, (b * f - c * e) / det],
    [B / det, (a * i - c * g) / det, (c * d - a * f) / det],
    [C / det, (b * g - a * h) / det, (a * e - b * d) / det],
  ]
}

/** The picture of a face, so many pixels wide, and its ways to and fro. */
export function straightened(plane: FacePlane, width: number) {
  const [x0, y0, x1, y1] = plane.area
  const k = width / (x1 - x0) // pixels of a metre
  const back = inverse(plane.to_photo)
  const metres = ([x, y]: Vec2): Vec2 => [x0 + x / k, y1 - y / k]
  const picture = ([a, b]: Vec2): Vec2 => [(a - x0) * k, (y1 - b) * k]
  return {
    width,
    height: (y1 - y0) * k,
    perMetre: k,
    metres,
    picture,
    toPhoto: (p: Vec2) => through(plane.to_photo, metres(p)),
    fromPhoto: (p: Vec2) => picture(through(back, p)),
  }
}

/** Marks of a ruler over a span: 1, 2 or 5 of a power of ten apart, at least so far from one another. */
export function marks(from: number, to: number, least: number): { at: number; label: string }[] {
  const power = 10 ** Math.floor(Math.log10(least))
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= least * 0.999)!
  const digits = Math.max(0, -Math.floor(Math.log10(step) + 1e-9))
  const out = []
  for (let n = Math.ceil(from / step - 1e-9); n * step <= to + 1e-9; n++)
    out.push({ at: n * step + 0, label: (n * step + 0).toFixed(digits) })
  return out
}
