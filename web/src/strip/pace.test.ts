import { describe, expect, it } from 'vitest'
import { curvePath, dragged, keyShown, ownTime, progressAt, shownAt, slopes, withHandle, type Curve } from './pace'

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
  it('has the progress that the engine travels by', () => {
    // scipy.interpolate.PchipInterpolator([1, 30, 70, 120], [0, .42, .58, 1]) at 15, 50, 90.5
    const theirs: [number, number][] = [
      [15, 0.2472949],
      [50, 0.505572],
      [90.5, 0.7183064],
    ]
    theirs.forEach(([frame, p]) => expect(progressAt(CURVE, frame)).toBeCloseTo(p, 6))
    expect(progressAt(CURVE, -9)).toBe(0)
    expect(progressAt(CURVE, 500)).toBe(1)
  })
  it('shows keys elsewhere than on the frames of their own time', () => {
    const keys = [1, 51, 101].map((frame) => ({ frame }))
    expect(ownTime(CURVE, keys, 30)).toBeCloseTo(43, 9)
    const at = shownAt(CURVE, keys, 51)
    expect(at).toBeCloseTo(48.190829, 4) // where SciPy says that half of the way is done
    expect(ownTime(CURVE, keys, at)).toBeCloseTo(51, 4)
    expect(keyShown(CURVE, keys, Math.round(at))?.frame).toBe(51)
    expect(keyShown(CURVE, keys, 45)).toBeNull()
    expect(keyShown(CURVE, keys, 1)?.frame).toBe(1)
    expect([ownTime(null, keys, 30), shownAt(null, keys, 51), keyShown(null, keys, 51)?.frame]).toEqual([30, 51, 51])
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
