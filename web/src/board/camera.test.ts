/** Cameras in the browser against those of the server: the vectors are written by Python. */
import { describe, expect, it } from 'vitest'
import type { Camera, Vec2, Vec3 } from '../api/client'
import {
  bendPixel,
  bentLine,
  fromPanTiltRoll,
  groundGrid,
  onGround,
  project,
  projectSegment,
  panTiltRoll,
  quaternion,
  toCamera,
  viewOf,
} from './camera'
import cases from './vectors.gen.json'

const near = (got: readonly number[], wanted: readonly number[], digits = 5) => {
  expect(got.length).toBe(wanted.length)
  got.forEach((v, i) => expect(v).toBeCloseTo(wanted[i], digits))
}

describe.each(cases.map((c, i) => [i, c] as const))('camera %i', (_, c) => {
  const camera = c.camera as unknown as Camera
  const view = viewOf(camera)

  it('stands as the server says', () => {
    const r = fromPanTiltRoll(...(c.angles_deg as Vec3))
    r.forEach((row, i) => near(row, view.rotation[i]))
    near(panTiltRoll(quaternion(r)), c.angles_deg)
    near(
      quaternion(view.rotation).map((v, _i, q) => v * Math.sign(q[0] || 1)),
      c.quaternion,
    )
  })
  it('projects as the server does', () => {
    c.points.forEach((p, i) => near(project(view, p as Vec3)!, c.projected[i], 4))
  })
  it('bends as the server does', () => {
    c.pixels.forEach((p, i) => near(bendPixel(camera, p as Vec2), c.bent[i], 4))
  })
  it('finds the ground where the server does', () => {
    c.pixels.forEach((p, i) => {
      const got = onGround(view, p as Vec2)
      const wanted = c.on_ground[i]
      if (!wanted) return expect(got).toBeNull()
      near(
        got!.map((v) => v / (1 + Math.hypot(...wanted))),
        wanted.map((v) => v / (1 + Math.hypot(...wanted))),
        5,
      )
    })
  })
  it('cuts a line where it passes the lens, and nothing else of it', () => {
    const ahead = c.points[0] as Vec3
    const behind = [0, 1, 2].map((i) => 2 * view.position[i] - ahead[i]) as Vec3
    expect(project(view, behind)).toBeNull()
    const [a, b] = projectSegment(view, ahead, [behind[0] + 0.3, behind[1], behind[2]])!
    near(a, project(view, ahead)!, 6)
    expect(b.every(Number.isFinite)).toBe(true)
    expect(projectSegment(view, behind, behind)).toBeNull()
    expect(toCamera(view, ahead)[2]).toBeGreaterThan(0)
  })
})

it('draws a bent line through its bent points, and a straight one in one piece', () => {
  const camera = cases[0].camera as unknown as Camera
  const line: [Vec2, Vec2] = [
    [10, 20],
    [300, 200],
  ]
  const d = bentLine(camera, line, (p) => p)
  expect(
    d.startsWith(
      `M${bendPixel(camera, line[0])
        .map((v) => v.toFixed(1))
        .join(' ')}`,
    ),
  ).toBe(true)
  expect(
    d.endsWith(
      `L${bendPixel(camera, line[1])
        .map((v) => v.toFixed(1))
        .join(' ')}`,
    ),
  ).toBe(true)
  expect(bentLine({ ...camera, distortion: [0, 0, 0, 0, 0] }, line, (p) => p)).toBe('M10.0 20.0L300.0 200.0')
})

it('lays a ground grid whose lines lie on the ground', () => {
  const view = viewOf(cases[0].camera as unknown as Camera)
  const level = { ...view, rotation: fromPanTiltRoll(0, -10, 0), position: [0, 1.6, 0] as Vec3 }
  const lines = groundGrid(level, 1)
  expect(lines.length).toBeGreaterThan(40)
  for (const [a] of lines.slice(0, 10)) {
    const p = onGround(level, a)
    if (p) expect(Math.min(Math.abs(p[0] - Math.round(p[0])), Math.abs(p[2] - Math.round(p[2])))).toBeLessThan(1e-3)
  }
})
