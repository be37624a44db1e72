import { describe, expect, it } from 'vitest'
import type { Vec2 } from '../../api/client'
import { apart, beside, reshaped, thinned, type Loop } from './useOutlineHand'

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

describe('points that are shown of many', () => {
  it('are those near the pointer, none in the reach of a nearer one', () => {
    const line = Array.from({ length: 300 }, (_, i): Vec2 => [i, 0])
    const shown = thinned(line, [100, 2], 9)
    expect(shown[0]).toEqual([100, 0])
    expect(Math.max(...shown.map((p) => apart(p, [100, 2])))).toBeLessThan(90)
    for (const p of shown) for (const q of shown) if (p !== q) expect(apart(p, q)).toBeGreaterThanOrEqual(9)
    expect(shown.length).toBeGreaterThan(15)
  })
})

describe('how far a place is from a line', () => {
  it('is measured to its nearest spot, ends included', () => {
    expect(beside([5, 3], [0, 0], [10, 0])).toBeCloseTo(3)
    expect(beside([13, 4], [0, 0], [10, 0])).toBeCloseTo(5)
    expect(beside([3, 4], [0, 0], [0, 0])).toBeCloseTo(apart([3, 4], [0, 0]))
  })
})
