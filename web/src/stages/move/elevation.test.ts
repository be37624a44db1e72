import { describe, expect, it } from 'vitest'
import type { Shape, Vec2, Vec3 } from '../../api/client'
import { elevation, headingOf } from './elevation'

const LOOKS = [
  [0.8, 0, 0.6],
  [0.06, -0.99, 0.08],
  [-0.594, -0.1, 0.792],
]

describe('the set from the side', () => {
  it('runs along the level part of where the camera looks', () => {
    expect(headingOf(LOOKS)[0]).toBeCloseTo(-0.6, 9)
    expect(headingOf(LOOKS)[1]).toBeCloseTo(0.8, 9)
    expect(
      headingOf([
        [1, 0, 0],
        [0, 0, -1],
        [0, 1, 0],
      ]),
    ).toEqual([0, -1]) // straight up: there is none
  })

  it('shows the way along it, and up as up', () => {
    const side = elevation([-0.6, 0.8])
    expect(side.across([0, 3, 0])).toEqual([0, 0, -3])
    expect(side.across([-6, 1, 8])[0]).toBeCloseTo(10, 9)
    const shape = { id: 'a', vertices: [[8, 2, 6]] } as Shape // straight aside
    expect(side.shape(shape).vertices[0][0]).toBeCloseTo(0, 9)
  })

  it('takes a dragged place back, keeping the way aside', () => {
    const side = elevation([-0.6, 0.8])
    const from: Vec3 = [3, 1.5, -2]
    const seen = side.across(from)
    side.back([seen[0], seen[2]], from).forEach((v, i) => expect(v).toBeCloseTo(from[i], 9))
    const moved = side.back([seen[0] + 2, -4] as Vec2, from)
    expect(moved[1]).toBe(4)
    expect([moved[0] - from[0], moved[2] - from[2]].map((v) => Number(v.toFixed(9)))).toEqual([-1.2, 1.6])
  })
})
