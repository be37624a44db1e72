import { describe, expect, it } from 'vitest'
import cases from './pace.gen.json'
import {
  curvePath,
  dragged,
  keyShown,
  ownTime,
  progressAt,
  shownAt,
  shownOf,
  slopes,
  withHandle,
  type Curve,
} from './pace'

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
  it.each(cases)('shows the keys and the time that the engine says, case %#', (c) => {
    const move = { keys: c.keys.map((frame) => ({ frame })), speed: c.speed }
    c.frames.forEach((frame, i) => {
      expect(ownTime(move, frame)).toBeCloseTo(c.own[i], 7)
      expect(keyShown(move, frame)?.frame ?? null).toBe(c.key[i])
    })
  })
  it('shows keys elsewhere than on the frames of their own time', () => {
    const move = { keys: [1, 51, 101].map((frame) => ({ frame })), speed: CURVE }
    const at = shownAt(move, 51)
    expect(at).toBeCloseTo(48.190829, 4) // where SciPy says that half of the way is done
    expect(ownTime(move, at)).toBeCloseTo(51, 4)
    expect(keyShown(move, shownOf(move, 51))?.frame).toBe(51)
    expect(keyShown(move, 45)).toBeNull()
    const plain = { keys: move.keys, speed: null }
    expect([ownTime(plain, 30), shownOf(plain, 51), keyShown(plain, 51)?.frame]).toEqual([30, 51, 51])
    const single = { keys: [{ frame: 7 }], speed: CURVE } // has no time of its own yet
    expect([ownTime(single, 30), shownOf(single, 7), keyShown(single, 7)?.frame]).toEqual([30, 7, 7])
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
