/** Pinhole views for the graphics card. */
import * as three from 'three'
import type { Schemas } from '../api/client'
import type { View } from './camera'

export type Moved = Schemas['PieceAt']

/** A three.js camera that sees as a pinhole view does. */
export function lens(view: View): three.Camera {
  const camera = new three.Camera()
  const [w, h, f] = [view.width, view.height, view.focal]
  const [cx, cy] = view.centre
  const near = 0.08
  const far = 4000
  camera.projectionMatrix.set(
    (2 * f) / w,
    0,
    1 - (2 * cx) / w,
    0,
    0,
    (2 * f) / h,
    (2 * cy) / h - 1,
    0,
    0,
    0,
    -(far + near) / (far - near),
    (-2 * far * near) / (far - near),
    0,
    0,
    -1,
    0,
  )
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert()
  const r = view.rotation
  const p = view.position
  camera.matrixWorld.set(
    r[0][0],
    -r[1][0],
    -r[2][0],
    p[0],
    r[0][1],
    -r[1][1],
    -r[2][1],
    p[1],
    r[0][2],
    -r[1][2],
    -r[2][2],
    p[2],
    0,
    0,
    0,
    1,
  )
  camera.matrixWorldInverse.copy(camera.matrixWorld).invert()
  camera.matrixAutoUpdate = camera.matrixWorldAutoUpdate = false
  return camera
}

/** From a pixel of a picture of so many pixels, counted from the lower left as graphics cards do, to its ray. */
export function raysOf(view: View, width: number, height: number): three.Matrix3 {
  const [kx, ky] = [view.width / width / view.focal, view.height / height / view.focal]
  const [x0, y0] = [-view.centre[0] / view.focal, (view.height - view.centre[1]) / view.focal]
  const r = view.rotation
  const rows = [0, 1, 2].map((i) => [kx * r[0][i], -ky * r[1][i], x0 * r[0][i] + y0 * r[1][i] + r[2][i]])
  return new three.Matrix3().set(...(rows.flat() as Parameters<three.Matrix3['set']>))
}

/** Where a piece that has moved goes, as a matrix; nothing where it stands at rest. */
export function poseMatrix(moved: Moved | undefined): three.Matrix4 {
  const m = new three.Matrix4()
  if (!moved) return m
  const [r, t, k] = [moved.rotation, moved.shift, moved.scale]
  const row = (i: number) => [k * r[i][0], k * r[i][1], k * r[i][2], t[i]] as const
  return m.set(...row(0), ...row(1), ...row(2), 0, 0, 0, 1)
}

/** World → the plate's canvas, homogeneous: x and y run 0…1 over it from the top left, z is the depth. */
export function plateMatrix(view: View, canvas: number[]): three.Matrix4 {
  const [x0, y0, w, h] = canvas
  const r = view.rotation
  const rows = [0, 1, 2].map((i) => [
    r[i][0],
    r[i][1],
    r[i][2],
    -(r[i][0] * view.position[0] + r[i][1] * view.position[1] + r[i][2] * view.position[2]),
  ])
  const u = rows[0].map((_, j) => (view.focal * rows[0][j] + (view.centre[0] - x0) * rows[2][j]) / w)
  const v = rows[0].map((_, j) => (view.focal * rows[1][j] + (view.centre[1] - y0) * rows[2][j]) / h)
  return new three.Matrix4().set(
    u[0],
    u[1],
    u[2],
    u[3],
    v[0],
    v[1],
    v[2],
    v[3],
    rows[2][0],
    rows[2][1],
    rows[2][2],
    rows[2][3],
    0,
    0,
    0,
    1,
  )
}
