import { describe, expect, it } from 'vitest'
import { PACES, paceOf } from './travel'

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
