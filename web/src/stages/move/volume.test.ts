import { describe, expect, it } from 'vitest'
import type { Room } from './room'
import { cubic, extentOf, strips } from './volume'

const room = (margin: number[], across: number, step = 0.5): Room => ({
  frame: 1,
  height_m: 2,
  area: [0, 10, 5, 15],
  step,
  across,
  along: margin.length / across,
  margin,
  open: [],
})

describe('standing room as a volume', () => {
  it('joins what holds side by side, row by row', () => {
    const got = strips(room([1, 2, -1, 0, -1, -1, -1, -1, -1, 1, 1, 1], 4))
    expect(got.length).toBe(3)
    expect(got[0]).toEqual([
      [-0.25, 2, 9.75],
      [0.75, 2, 9.75],
      [0.75, 2, 10.25],
      [-0.25, 2, 10.25],
    ])
    expect(got[2][1][0] - got[2][0][0]).toBeCloseTo(1.5)
  })
  it('covers as much floor as there are cells that hold', () => {
    const margin = Array.from({ length: 120 }, (_, n) => Math.sin(n * 1.7) + 0.2)
    const r = room(margin, 12, 0.3)
    const floor = strips(r).reduce((sum, [a, b, c]) => sum + (b[0] - a[0]) * (c[2] - b[2]), 0)
    expect(cubic([r], 0.4)).toBeCloseTo(floor * 0.4)
    expect(cubic([r, r], 0.4)).toBeCloseTo(floor * 0.8)
  })
  it('reaches as far as the move, stays above the ground and begins at the lens', () => {
    const e = extentOf(
      [1, 1.6, 4],
      [
        [1, 1.6, 4],
        [4, 1.6, 2],
      ],
    )
    expect(e.area).toEqual([-2.5, 0.5, 4.5, 7.5])
    expect(e.heights[0]).toBe(1.6)
    expect(Math.min(...e.heights)).toBeGreaterThan(0)
    expect(e.heights.length).toBeLessThan(7) // the lowest would lie in the ground
  })
})
