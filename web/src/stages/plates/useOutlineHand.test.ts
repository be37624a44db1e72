import { describe, expect, it } from 'vitest'
import type { Vec2 } from '../../api/client'
import { near, onLine } from '../../board/lines'
import cases from './curve.gen.json'
import { curve } from './curve'
import { reshaped, softened, thinned, type Loop } from './useOutlineHand'

const square: Vec2[] = [
  [0, 0],
  [10, 0],
  [10, 10],
  [0, 10],
]

describe('a loop that gains and loses points', () => {
  it('keeps the others as smooth as they are', () => {
    const loop = { points: square, smooth: [true, false, true, false] } as Loop
    const more = reshaped(loop, 1, 0, [5, 0])
    expect(more.points).toEqual([[0, 0], [5, 0], ...square.slice(1)])
    expect(more.smooth).toEqual([true, false, false, true, false])
    expect(reshaped(more, 1, 1)).toEqual(loop)
    expect(loop.points).toHaveLength(4)
  })
  it('stays smooth or sharp as a whole', () => {
    expect(reshaped({ points: square, smooth: true } as Loop, 2, 1)).toEqual({
      points: [square[0], square[1], square[3]],
      smooth: true,
    })
  })
})

describe('a point that is smooth', () => {
  it('is so by itself', () => {
    const one = softened({ points: square, smooth: false } as Loop, 2)
    expect(one.smooth).toEqual([false, false, true, false])
    expect(softened({ points: square, smooth: true } as Loop, 0).smooth).toEqual([false, true, true, true])
    expect(softened(one, 2).smooth).toEqual([false, false, false, false])
  })
  it('is drawn as the server cuts', () => {
    for (const { points, smooth, line } of cases) {
      const got = curve(points as Vec2[], smooth)
      expect(got).toHaveLength(line.length)
      got.forEach((p, i) => p.forEach((v, j) => expect(v).toBeCloseTo(line[i][j], 6)))
    }
  })
})

describe('points that are shown of many', () => {
  it('are those near the pointer, none in the reach of a nearer one', () => {
    const line = Array.from({ length: 300 }, (_, i): Vec2 => [i, 0])
    const shown = thinned(line, [100, 2], 9)
    expect(shown[0]).toEqual([100, 0])
    expect(Math.max(...shown.map((p) => near(p, [100, 2])))).toBeLessThan(90)
    for (const p of shown) for (const q of shown) if (p !== q) expect(near(p, q)).toBeGreaterThanOrEqual(9)
    expect(shown.length).toBeGreaterThan(15)
  })
})

describe('the place on a line nearest to another', () => {
  it('lies on its nearest piece, ends included', () => {
    const closed = [...square, square[0]]
    expect(onLine(closed, [5, -3])).toEqual([[5, 0], 1])
    expect(onLine(closed, [-2, 4])).toEqual([[0, 4], 4])
    expect(onLine(closed, [13, 14])[0]).toEqual([10, 10])
    expect(onLine([square[0], square[0]], [3, 4])[0]).toEqual([0, 0])
  })
})
