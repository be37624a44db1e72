import { describe, expect, it } from 'vitest'
import { worstFrame } from './worst'

const frame = (n: number, bare: number, causes: [string | null, number][]) => ({
  frame: n,
  holds: false,
  sound: 0,
  soft: 0,
  smeared: 0,
  spilled: 0,
  bare,
  void: 0,
  worst_stretch: 1,
  worst_magnification: 1,
  causes: causes.map(([plate, percent]) => ({ surface: 'a/b', plate, verdict: 'smeared' as const, percent })),
})
const frames = [
  frame(1, 0.2, [['a', 1]]),
  frame(2, 9, [
    ['a', 2],
    ['a', 2.5],
  ]),
  frame(3, 0, [
    ['a', 4],
    [null, 20],
  ]),
]

describe('the worst frame of a plate', () => {
  it('is the one in which all that it is at fault for takes most', () => {
    expect(worstFrame(frames, 'a')).toEqual({ frame: 2, own: true })
  })
  it('is the worst of all where it is at fault for nothing', () => {
    expect(worstFrame(frames, 'b')).toEqual({ frame: 2, own: false })
  })
  it('is not known before a check', () => {
    expect(worstFrame(null, 'a')).toBeNull()
  })
})
