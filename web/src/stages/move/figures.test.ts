import { describe, expect, it } from 'vitest'
import type { FrameCamera } from '../../api/client'
import { holds, moved, posed } from './figures'

const shown = {
  frame: 12,
  position: [1, 2, 3],
  rotation: [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  pan_deg: 20,
  tilt_deg: -5,
  roll_deg: 1,
  focal_px: 900,
  zoom: 0.9,
} as unknown as FrameCamera

describe('what is sent of a camera', () => {
  it('is what the hand has moved', () => {
    expect(moved(shown, shown)).toEqual({})
    expect(moved({ ...shown, pan_deg: 25 }, shown)).toEqual({ pan_deg: 25 })
    expect(moved({ ...shown, position: [1, 2.5, 3] }, shown)).toEqual({ position: [null, 2.5, null] })
    expect(moved({ ...shown, zoom: 1, roll_deg: 0 }, shown)).toEqual({ zoom: 1, roll_deg: 0 })
  })
  it('holds those values and no others', () => {
    expect(holds({ frame: 1 })).toEqual([])
    expect(holds({ pan_deg: 0 })).toEqual(['rotation'])
    expect(holds({ position: [null, 1, null], zoom: 2 })).toEqual(['position', 'focal_px'])
  })
  it('is shown at once, the rest as it was', () => {
    const got = posed(shown, { position: [null, 9, null], zoom: 1.8 })
    expect(got.position).toEqual([1, 9, 3])
    expect(got.focal_px).toBeCloseTo(1800)
    expect([got.pan_deg, got.rotation]).toEqual([20, shown.rotation])
    expect(shown.position).toEqual([1, 2, 3])
    expect(posed(shown, { pan_deg: 0, tilt_deg: 0, roll_deg: 0 }).rotation).not.toEqual(shown.rotation)
  })
})
