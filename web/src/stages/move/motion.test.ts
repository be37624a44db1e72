import { describe, expect, it } from 'vitest'
import { aboutRise, at, keysWith, keysWithout, replaced, REST, turned } from './motion'

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
  it('put a key in, in its place and in order, and take one out', () => {
    const keys = [
      { frame: 1, v: 'a' },
      { frame: 9, v: 'b' },
    ]
    expect(keysWith(keys, { frame: 4, v: 'c' }).map((k) => k.v)).toEqual(['a', 'c', 'b'])
    expect(keysWith(keys, { frame: 1, v: 'd' }).map((k) => k.v)).toEqual(['d', 'b'])
    expect(keysWithout(keys, 9).map((k) => k.v)).toEqual(['a'])
    expect(replaced([1, 2, 3], 1, 7)).toEqual([1, 7, 3])
  })
})
