import { describe, expect, it } from 'vitest'
import { fromPanTiltRoll } from '../../board/camera'
import { depthOf } from './useFocus'

type Camera = Parameters<typeof depthOf>[0]
const camera = (pan: number, tilt: number) =>
  ({ position: [1, 2, 3], rotation: fromPanTiltRoll(pan, tilt, 0) }) as unknown as Camera

describe('the distance that a place of the plan is at', () => {
  it('is along the lens’s axis, wherever it lies aside', () => {
    expect(depthOf(camera(0, 0), [1, -5])).toBeCloseTo(8)
    expect(depthOf(camera(0, 0), [4, -5])).toBeCloseTo(8)
    expect(depthOf(camera(0, 0), [1, 9])).toBe(null) // behind it
    const away = Math.SQRT1_2 * 6
    const aside = [1, -1].map((side) => depthOf(camera(45, 0), [1 + side * away, 3 - away]))
    expect(aside.filter((d) => d !== null).map((d) => Math.round(d! * 1e6) / 1e6)).toContain(6)
  })
  it('is longer than on the level where the lens is tilted, and none straight down', () => {
    expect(depthOf(camera(0, -60), [1, -1])).toBeCloseTo(4 / Math.cos((60 * Math.PI) / 180))
    expect(depthOf(camera(0, -90), [1, -1])).toBe(null)
  })
})
