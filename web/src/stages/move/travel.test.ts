import { describe, expect, it } from 'vitest'
import type { Key } from '../../api/client'
import { endsInMotion, PACES, paceOf, withEnds } from './travel'

describe('paces', () => {
  it('are monotone, begin and end with the keys, and are known again', () => {
    for (const [name, pace] of Object.entries(PACES)) {
      const curve = pace.curve([10, 110])
      expect(paceOf(curve, [10, 110])).toBe(name)
      if (!curve) continue
      expect([curve[0], curve.at(-1)]).toEqual([
        [10, 0],
        [110, 1],
      ])
      curve.slice(1).forEach(([f, p], i) => {
        expect(f).toBeGreaterThan(curve[i][0])
        expect(p).toBeGreaterThanOrEqual(curve[i][1])
      })
    }
    expect(
      paceOf(
        [
          [10, 0],
          [50, 0.3],
          [110, 1],
        ],
        [10, 110],
      ),
    ).toBe('own')
  })
})

describe('ends', () => {
  const key = (frame: number, x: number, more = {}) =>
    ({ frame, position: [x, 0, 0], free: [], ...more }) as never as Key
  it('are passed at the speed of the way to the next key, or rest', () => {
    const keys = [key(1, 0), key(11, 5), key(21, 6)]
    expect(endsInMotion(keys)).toBe(false)
    const moving = withEnds(keys, true)
    expect(moving.map((k) => k.speed)).toEqual([0.5, undefined, 0.1])
    expect(endsInMotion(moving)).toBe(true)
    expect(withEnds(moving, false).map((k) => k.speed)).toEqual([null, undefined, null])
  })
  it('keep what a key says of its own passing, and leave out those without a place', () => {
    const keys = [key(1, 0, { velocity: [1, 0, 0] }), key(11, 5), key(21, 6, { free: ['position'] })]
    expect(withEnds(keys, true).map((k) => [k.velocity, k.speed])).toEqual([
      [[1, 0, 0], undefined],
      [undefined, 0.5],
      [undefined, undefined],
    ])
    expect(endsInMotion(keys.slice(2))).toBeNull()
  })
})
