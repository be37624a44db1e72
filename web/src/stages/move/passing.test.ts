import { describe, expect, it } from 'vitest'
import type { FrameCamera, Key, Vec3 } from '../../api/client'
import { reaches, tip, velocityAt, wayOf } from './passing'

const key = (frame: number, more: Partial<Key> = {}) => ({ frame, position: [0, 0, 0], ...more }) as Key
/** Cameras along a path, a frame apart. */
const along = (at: (f: number) => Vec3, last = 10) =>
  Array.from({ length: last }, (_, i) => ({ frame: i + 1, position: at(i + 1) }) as FrameCamera)

describe('how a key is passed', () => {
  it('is what it says, else rest at the ends', () => {
    expect(wayOf(key(1), true)).toBe('rest')
    expect(wayOf(key(5), false)).toBe('pass')
    expect(wayOf(key(5, { ease: 'rest' }), false)).toBe('rest')
    expect(wayOf(key(1, { speed: 0.1 }), true)).toBe('speed')
    expect(wayOf(key(5, { velocity: [1, 0, 0] }), false)).toBe('drawn')
  })

  it('has the velocity of the path', () => {
    const straight = along((f) => [0.2 * f, 1.5, -0.1 * f])
    for (const f of [1, 5, 10]) {
      velocityAt(key(f), straight).forEach((v, i) => expect(v).toBeCloseTo([0.2, 0, -0.1][i], 9))
    }
    const begun = along((f) => [0.01 * (f - 1) ** 2, 0, 0]) // from rest
    expect(velocityAt(key(1), begun)).toEqual([0, 0, 0])
    expect(velocityAt(key(6), begun)[0]).toBeCloseTo(0.1, 9)
    expect(velocityAt(key(10), begun)[0]).toBeCloseTo(0.18, 9)
    expect(velocityAt(key(10, { velocity: [7, 8, 9] }), begun)).toEqual([7, 8, 9])
  })

  it('has handles a third of the way to its neighbours', () => {
    const keys = [key(1), key(31), key(91)]
    expect(reaches(keys, 31)).toEqual({ back: 10, ahead: 20 })
    expect(reaches(keys, 1)).toEqual({ back: null, ahead: 10 })
    expect(tip(keys[1], [0.1, 0, -0.2], 20, [9, 9, 9])).toEqual([2, 0, -4])
    expect(tip(keys[1], [0, 0, 0], 20, [10, 0, 0])[0]).toBeCloseTo(1.2, 9)
  })
})
