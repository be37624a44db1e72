import { describe, expect, it } from 'vitest'
import { curvePath, dragged, slopes, withHandle, type Curve } from './pace'

const CURVE: Curve = [
  [1, 0],
  [30, 0.42],
  [70, 0.58],
  [120, 1],
]

describe('a pace', () => {
  it('keeps a handle between its neighbours', () => {
    expect(dragged(CURVE, 1, [50, 0.5])[1]).toEqual([50, 0.5])
    expect(dragged(CURVE, 1, [500, 2])[1]).toEqual([69, 0.58])
    expect(dragged(CURVE, 2, [-5, -1])[2]).toEqual([31, 0.42])
    expect(dragged(CURVE, 1, [50, 0.5])[0]).toEqual([1, 0])
  })
  it('takes a handle more where there is room', () => {
    expect(withHandle(CURVE, [100, 0.9]).map((h) => h[0])).toEqual([1, 30, 70, 100, 120])
    expect(withHandle(CURVE, [100, 0.1])[3]).toEqual([100, 0.58]) // never back
    expect(withHandle(CURVE, [30.4, 0.5])).toBe(CURVE)
    expect(withHandle(CURVE, [130, 0.5])).toBe(CURVE)
  })
  it('has the slopes of the curve that the engine travels by', () => {
    // scipy.interpolate.PchipInterpolator([1, 30, 70, 120], [0, .42, .58, 1]).derivative() at the handles
    const theirs = [0.018889, 0.006463, 0.005349, 0.010844]
    slopes(CURVE).forEach((m, i) => expect(m).toBeCloseTo(theirs[i], 5))
    expect(slopes([CURVE[0], CURVE[3]])).toEqual([1 / 119, 1 / 119])
  })
  it('is drawn through its handles', () => {
    const path = curvePath(
      CURVE,
      (f) => f,
      (p) => 100 * p,
    )
    expect(path.startsWith('M1.0 0.0C')).toBe(true)
    expect(path.endsWith('120.0 100.0')).toBe(true)
    expect(path.match(/C/g)).toHaveLength(3)
  })
})
