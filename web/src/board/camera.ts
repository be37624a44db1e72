/** Showing what the server has worked out: projecting points for outlines on the screen. It decides nothing. */
import type { Camera, FrameCamera, Vec2, Vec3 } from '../api/client'

export interface View {
  width: number
  height: number
  focal: number
  centre: Vec2
  rotation: number[][]
  position: Vec3
}

export function viewOf(camera: Camera): View {
  return {
    width: camera.width,
    height: camera.height,
    focal: camera.focal_px,
    centre: camera.principal_point as Vec2,
    rotation: camera.rotation as number[][],
    position: (camera.position ?? [0, 1, 0]) as Vec3,
  }
}

export function viewOfFrame(camera: FrameCamera, width: number, height: number, centre: Vec2): View {
  return {
    width,
    height,
    focal: camera.focal_px,
    centre,
    rotation: camera.rotation as number[][],
    position: camera.position as Vec3,
  }
}

export function toCamera(view: View, p: Vec3): Vec3 {
  const d = [p[0] - view.position[0], p[1] - view.position[1], p[2] - view.position[2]]
  return view.rotation.map((r) => r[0] * d[0] + r[1] * d[1] + r[2] * d[2]) as Vec3
}

/** Pixel of a world point, or null behind the camera. */
export function project(view: View, p: Vec3): Vec2 | null {
  const [x, y, z] = toCamera(view, p)
  return z < 0.02 ? null : [(view.focal * x) / z + view.centre[0], (view.focal * y) / z + view.centre[1]]
}

/** The part of a world segment in front of the camera, as pixels. */
export function projectSegment(view: View, a: Vec3, b: Vec3): [Vec2, Vec2] | null {
  let p = toCamera(view, a)
  let q = toCamera(view, b)
  const near = 0.05
  if (p[2] < near && q[2] < near) return null
  const cut = (u: Vec3, v: Vec3): Vec3 => {
    const t = (near - u[2]) / (v[2] - u[2])
    return [u[0] + t * (v[0] - u[0]), u[1] + t * (v[1] - u[1]), near]
  }
  if (p[2] < near) p = cut(p, q)
  else if (q[2] < near) q = cut(q, p)
  const px = (c: Vec3): Vec2 => [
    (view.focal * c[0]) / c[2] + view.centre[0],
    (view.focal * c[1]) / c[2] + view.centre[1],
  ]
  return [px(p), px(q)]
}

/** Where the ray through a pixel meets the level plane, or null above the horizon. */
export function onGround(view: View, pixel: Vec2, level = 0): Vec3 | null {
  const c = [(pixel[0] - view.centre[0]) / view.focal, (pixel[1] - view.centre[1]) / view.focal, 1]
  const r = [0, 1, 2].map((i) => view.rotation[0][i] * c[0] + view.rotation[1][i] * c[1] + view.rotation[2][i] * c[2])
  const k = (level - view.position[1]) / r[1]
  if (!(k > 0)) return null
  return [view.position[0] + k * r[0], level, view.position[2] + k * r[2]]
}

/** A bent line of pixels (as taken) for a straight one: Brown–Conrady, as the server has it. */
export function bendPixel(camera: Camera, p: Vec2): Vec2 {
  const [k1, k2, p1, p2, k3] = camera.distortion as number[]
  if (!k1 && !k2 && !p1 && !p2 && !k3) return p
  const [cx, cy] = camera.principal_point as Vec2
  const f = camera.focal_px
  const x = (p[0] - cx) / f
  const y = (p[1] - cy) / f
  const r2 = x * x + y * y
  const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3))
  return [
    (x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x)) * f + cx,
    (y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y) * f + cy,
  ]
}

/** The SVG path of a straight line of pixels on a photo as taken, which its lens may bend. */
export function bentLine(camera: Camera, line: [Vec2, Vec2], toScreen: (p: Vec2) => Vec2): string {
  const parts = (camera.distortion as number[]).some(Boolean) ? 24 : 1
  let d = ''
  for (let i = 0; i <= parts; i++) {
    const p: Vec2 = [
      line[0][0] + ((line[1][0] - line[0][0]) * i) / parts,
      line[0][1] + ((line[1][1] - line[0][1]) * i) / parts,
    ]
    d += `${i ? 'L' : 'M'}${toScreen(bendPixel(camera, p))
      .map((v) => v.toFixed(1))
      .join(' ')}`
  }
  return d
}

/** Lines of a level grid, metres apart, around the point below the view's middle. */
export function groundGrid(view: View, spacing: number, level = 0, cells = 24): [Vec2, Vec2][] {
  const seen = level > view.position[1] ? 0.14 : 0.86
  const focus = onGround(view, [view.centre[0], view.height * seen], level) ?? [
    view.position[0],
    level,
    view.position[2],
  ]
  const x0 = Math.round(focus[0] / spacing) * spacing
  const z0 = Math.round(focus[2] / spacing) * spacing
  const half = cells * spacing
  const out: [Vec2, Vec2][] = []
  for (let i = -cells; i <= cells; i++) {
    const a = projectSegment(view, [x0 + i * spacing, level, z0 - half], [x0 + i * spacing, level, z0 + half])
    const b = projectSegment(view, [x0 - half, level, z0 + i * spacing], [x0 + half, level, z0 + i * spacing])
    if (a) out.push(a)
    if (b) out.push(b)
  }
  return out
}

/** Lines of an upright grid, metres apart, on the plane through the origin that faces along return or run (side). */
export function wallGrid(view: View, spacing: number, facing: 'front' | 'side', cells = 16): [Vec2, Vec2][] {
  const out: [Vec2, Vec2][] = []
  const high = 10 * spacing
  const at = (along: number, up: number): Vec3 => (facing === 'front' ? [along, up, 0] : [0, up, -along])
  const add = (a: Vec3, b: Vec3) => {
    const line = projectSegment(view, a, b)
    if (line) out.push(line)
  }
  const reach = cells * spacing
  for (let i = -cells; i <= cells; i++) add(at(i * spacing, 0), at(i * spacing, high))
  for (let j = 0; j * spacing <= high + 1e-9; j++) add(at(-reach, j * spacing), at(reach, j * spacing))
  return out
}

/** Quaternion w, x, y, z (camera → world) of a world → camera rotation. */
export function quaternion(r: number[][]): [number, number, number, number] {
  const m = [0, 1, 2].map((i) => [0, 1, 2].map((j) => r[j][i]))
  const t = m[0][0] + m[1][1] + m[2][2]
  let q: number[]
  if (t > 0) q = [1 + t, m[2][1] - m[1][2], m[0][2] - m[2][0], m[1][0] - m[0][1]]
  else if (m[0][0] > m[1][1] && m[0][0] > m[2][2])
    q = [m[2][1] - m[1][2], 1 + m[0][0] - m[1][1] - m[2][2], m[0][1] + m[1][0], m[0][2] + m[2][0]]
  else if (m[1][1] > m[2][2])
    q = [m[0][2] - m[2][0], m[0][1] + m[1][0], 1 - m[0][0] + m[1][1] - m[2][2], m[1][2] + m[2][1]]
  else q = [m[1][0] - m[0][1], m[0][2] + m[2][0], m[1][2] + m[2][1], 1 - m[0][0] - m[1][1] + m[2][2]]
  const n = Math.hypot(...q)
  return q.map((v) => v / n) as [number, number, number, number]
}

/** Pan, tilt, roll in degrees of a quaternion w, x, y, z (camera → world). */
export function panTiltRoll([w, x, y, z]: readonly number[]): Vec3 {
  const right = [1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)]
  const f = [2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)]
  const pan = Math.atan2(f[0], -f[2])
  const level = [Math.cos(pan), 0, Math.sin(pan)]
  const up = cross(level, f)
  const dot = (a: number[], b: number[]) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
  const roll = Math.atan2(-dot(right, up), dot(right, level))
  return [pan, Math.asin(Math.min(Math.max(f[1], -1), 1)), roll].map((v) => (v * 180) / Math.PI) as unknown as Vec3
}

/** World → camera rotation of pan, tilt, roll in degrees; see docs/geometry.md. */
export function fromPanTiltRoll(pan: number, tilt: number, roll: number): number[][] {
  const [a, b, c] = [pan, tilt, roll].map((v) => (v * Math.PI) / 180)
  const f = [Math.sin(a) * Math.cos(b), Math.sin(b), -Math.cos(a) * Math.cos(b)]
  const level = [Math.cos(a), 0, Math.sin(a)]
  const up = cross(level, f)
  const right = level.map((v, i) => Math.cos(c) * v - Math.sin(c) * up[i])
  return [right, cross(f, right), f]
}

export function cross(a: number[], b: number[]): number[] {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
