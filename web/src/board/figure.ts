/** A standing figure to judge a camera by: on the ground under a pixel, facing the lens. */
import type { Camera, Vec2, Vec3 } from '../api/client'
import { bendPixel, onGround, projectSegment, viewOf } from './camera'

export const TALL = 1.7 // metres
/** Half of its outline, from between the feet up: metres to the side, and shares of its height. */
const SIDE: Vec2[] = [
  [0.03, 0.46],
  [0.06, 0],
  [0.16, 0],
  [0.17, 0.48],
  [0.2, 0.5],
  [0.23, 0.48],
  [0.25, 0.8],
  [0.06, 0.85],
  [0.06, 0.87],
]
const HEAD = 0.105 // metres

/** The pixel of a lens that does not bend, for one as taken. */
export function straightened(camera: Camera, pixel: Vec2): Vec2 {
  let at = pixel
  for (let i = 0; i < 8; i++) {
    const bent = bendPixel(camera, at)
    at = [at[0] + pixel[0] - bent[0], at[1] + pixel[1] - bent[1]]
  }
  return at
}
/** The outline of the figure as lines of the straightened picture; none where the pixel is not on the ground. */
export function figureAt(camera: Camera, pixel: Vec2): [Vec2, Vec2][] {
  const view = viewOf(camera)
  const foot = onGround(view, straightened(camera, pixel))
  if (!foot || !camera.position) return []
  const [dx, dz] = [foot[0] - camera.position[0], foot[2] - camera.position[2]]
  const away = Math.hypot(dx, dz) || 1
  const across = [-dz / away, dx / away] // level, at right angles to where the lens is
  const place = (u: number, v: number): Vec3 => [foot[0] + u * across[0], foot[1] + v, foot[2] + u * across[1]]
  const half = SIDE.map(([u, v]): Vec2 => [u, v * TALL])
  const body = [...half, ...half.map(([u, v]): Vec2 => [-u, v]).reverse()]
  const head = Array.from({ length: 16 }, (_, i): Vec2 => {
    const a = (i * Math.PI) / 8
    return [HEAD * Math.sin(a), TALL - 1.25 * HEAD * (1 - Math.cos(a))]
  })
  const lines = (loop: Vec2[]) =>
    loop.map((p, i) => projectSegment(view, place(...p), place(...loop[(i + 1) % loop.length])))
  return [...lines(body), ...lines(head)].filter((line): line is [Vec2, Vec2] => line !== null)
}
