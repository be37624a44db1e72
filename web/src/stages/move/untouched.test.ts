import { describe, expect, it } from 'vitest'
import type { Key } from '../../api/client'
import { fromPanTiltRoll, panTiltRoll, quaternion } from '../../board/camera'
import { withUntouched } from './untouched'

const shown = { position: [1, 5.01, 3], pan_deg: 20, tilt_deg: -5, roll_deg: 1, zoom: 0.9 }
const now = {
  id: 'k',
  frame: 1,
  position: [1, 1.7, 3],
  rotation: quaternion(fromPanTiltRoll(25, -4, 0)),
  zoom: 0.8,
} as unknown as Key

describe('what the hand has left', () => {
  it('is the key’s own by then, and what it has moved is where it was moved to', () => {
    const got = withUntouched({ ...shown, position: [2, 5.01, 4] }, shown, now)
    expect(got.position).toEqual([2, 1.7, 4])
    expect([got.pan_deg, got.tilt_deg, got.roll_deg]).toEqual([25, -4, 0].map((v) => expect.closeTo(v, 9)))
    expect(got.zoom).toBe(0.8)
  })
  it('is nothing of a direction that was turned about one axis', () => {
    const got = withUntouched({ ...shown, pan_deg: 30 }, shown, now)
    expect([got.pan_deg, got.tilt_deg, got.roll_deg]).toEqual([30, -5, 1])
    expect(got.position).toEqual([1, 1.7, 3])
  })
  it('is as it was shown where the key leaves it to others', () => {
    const got = withUntouched({ ...shown, pan_deg: 30 }, shown, { ...now, free: ['position', 'focal_px'] })
    expect(got.position).toEqual(shown.position)
    expect(got.zoom).toBe(0.9)
  })
  it('angles of a quaternion are those that it was made of', () => {
    const all: [number, number, number][] = [
      [0, 0, 0],
      [170, 40, -30],
      [-95, -60, 5],
    ]
    for (const angles of all)
      expect(panTiltRoll(quaternion(fromPanTiltRoll(...angles)))).toEqual(angles.map((v) => expect.closeTo(v, 9)))
  })
})
