import { describe, expect, it } from 'vitest'
import type { Shape } from '../api/client'
import { fitted, grown, type Area } from './planArea'

const box = (id: string, x: number, z: number, size = 2): Shape => ({
  id,
  cutout: false,
  hidden: false,
  in_set: true,
  grazing: [],
  names: ['front'],
  loops: [[0, 1]],
  vertices: [
    [x, 0, z],
    [x + size, 3, z + size],
  ],
})
const ground = box('ground', -200, -200, 400)
const far = box('far', -150, -160, 100)

describe('a plan', () => {
  it('opens around what stands near, not around ground and backdrop', () => {
    expect(fitted([ground, far, box('a', 1, -8)], ['ground'], [[0, 1.6, 4]])).toEqual([-2.5, -10.5, 5.5, 6.5])
  })
  it('shows the backdrop where there is nothing else', () => {
    expect(fitted([ground, far], ['ground'], [])).toEqual([-152.5, -162.5, -47.5, -57.5])
  })
  it('opens on an empty place too', () => {
    expect(fitted([], [], [])).toEqual([-12.5, -12.5, 12.5, 12.5])
  })
  it('stays as it is when what was made lies inside, whatever else there is', () => {
    const area: Area = [-10, -10, 10, 10]
    expect(grown(area, [box('b', 0, 0)], [], [[1, 0, 1]])).toBe(area)
    expect(grown(area, [], [], [])).toBe(area)
    expect(grown(area, [ground], ['ground'], [])).toBe(area)
  })
  it('grows for what was made outside, and never shrinks', () => {
    expect(grown([-10, -10, 10, 10], [box('b', 20, 0)], [], [])).toEqual([-10, -10, 24.5, 10])
    expect(grown([-10, -10, 10, 10], [far, ground], ['ground'], [])).toEqual([-152.5, -162.5, 10, 10])
  })
})
