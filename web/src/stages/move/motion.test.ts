import { describe, expect, it } from 'vitest'
import { aboutRise, at, REST, turned } from './motion'

describe('motions', () => {
  it('begin a new key from the nearest one', () => {
    const key = { offset: [1, 0, 0] as [number, number, number], rotation: turned(30), scale: 2, opacity: 1 }
    const motion = {
      ...REST,
      keys: [
        { ...key, frame: 10 },
        { ...key, frame: 40, scale: 3 },
      ],
    }
    expect(at(motion, 12)).toMatchObject({ frame: 12, scale: 2, offset: [1, 0, 0] })
    expect(at(motion, 33).scale).toBe(3)
    expect(at(null, 7)).toMatchObject({ frame: 7, scale: 1, offset: [0, 0, 0] })
  })
  it('turn about Rise and back', () => {
    for (const degrees of [-170, -20, 0, 45, 179]) expect(aboutRise(turned(degrees))).toBeCloseTo(degrees)
  })
})
