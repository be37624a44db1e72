import { describe, expect, it } from 'vitest'
import cases from './motion.gen.json'
import { aboutRise, at, keysWith, keysWithout, replaced, REST, ridden, turned, type Motion } from './motion'

describe('motions', () => {
  it('begin a new key where the thing is by then', () => {
    const key = {
      offset: [1, 0, 0] as [number, number, number],
      rotation: turned(30),
      scale: 2,
      opacity: 1,
      ease: null,
      speed: null,
    }
    const motion = {
      ...REST,
      keys: [
        { ...key, frame: 10 },
        { ...key, frame: 40, scale: 3 },
      ],
    }
    expect(at(motion, 10)).toMatchObject({ frame: 10, offset: [1, 0, 0] })
    expect(at(motion, 4).scale).toBeCloseTo(2)
    expect(at(motion, 25).scale).toBeCloseTo(Math.sqrt(6)) // half way between two keys, by its logarithm
    expect(at(motion, 90).scale).toBeCloseTo(3)
    const turning = {
      ...REST,
      keys: [
        { ...key, frame: 1, rotation: turned(0) },
        { ...key, frame: 11, rotation: turned(90) },
      ],
    }
    expect(aboutRise(at(turning, 6).rotation)).toBeCloseTo(45)
    expect(aboutRise(at(turning, 2).rotation)).toBeCloseTo(9)
    const ride = [1, 11].map((frame) => ({
      frame,
      position: [0, 0, frame] as [number, number, number],
      rotation: turned(0),
      ease: null,
      speed: null,
    }))
    expect(ridden(ride, 6, ride[0]).position[2]).toBeCloseTo(6)
    expect(ridden([], 6, ride[0])).toMatchObject({ frame: 6, position: [0, 0, 1] })
    expect(at(null, 7)).toMatchObject({ frame: 7, scale: 1, offset: [0, 0, 0] })
  })
  it('are where the server has them, however their keys are passed', () => {
    for (const { motion, seen } of cases)
      for (const [frame, run, rise, back, angle, scale, opacity] of seen) {
        const got = at(motion as unknown as Motion, frame)
        expect(got.offset[0]).toBeCloseTo(run, 6)
        expect(got.offset[1]).toBeCloseTo(rise, 6)
        expect(got.offset[2]).toBeCloseTo(back, 6)
        expect(aboutRise(got.rotation)).toBeCloseTo(angle, 5)
        expect([got.scale, got.opacity][0]).toBeCloseTo(scale, 6)
        expect(got.opacity).toBeCloseTo(opacity, 6)
      }
  })
  it('pass a key that is changed as it was passed, and a new one evenly', () => {
    const key = { offset: [1, 0, 0] as [number, number, number], rotation: turned(0), scale: 1, opacity: 1 }
    const keys = [1, 9].map((frame) => ({ ...key, frame, ease: 'rest' as const, speed: null }))
    expect(at({ ...REST, keys }, 9).ease).toBe('rest')
    expect(at({ ...REST, keys }, 5).ease).toBe(null)
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
