import { describe, expect, it } from 'vitest'
import { fastest, hidden, leastRoom, length, line, type Along } from './along'

const frame = (n: number, left: number | null, near: number | null) =>
  ({
    frame: n,
    speed_m_s: 1,
    near_px: near,
    far_px: null,
    left_px: left,
    right_px: null,
    top_px: 5,
    bottom_px: -n,
  }) as Along['frames'][number]
const along = { frames: [frame(1, 20, 3), frame(5, null, 9), frame(9, 12, null)] } as Along

describe('what was seen along the move', () => {
  it('tells the least room of each side and where it is', () => {
    expect(leastRoom(along)).toEqual([
      { side: 'left', px: 12, frame: 9 },
      { side: 'right', px: null, frame: 1 },
      { side: 'top', px: 5, frame: 1 },
      { side: 'bottom', px: -9, frame: 9 },
    ])
  })
  it('tells where it runs fastest, and nothing of what is not seen', () => {
    expect(fastest(along, 'near_px')).toEqual({ px: 9, frame: 5 })
    expect(fastest(along, 'far_px')).toBeNull()
  })
  it('joins frames that one piece hides', () => {
    const by = (n: number, who: string | null) => ({ ...frame(n, null, null), hidden_by: who })
    const frames = [by(1, null), by(2, 'a'), by(3, 'a'), by(4, 'b'), by(5, null), by(6, 'b')]
    expect(hidden({ frames } as Along)).toEqual([
      { solid: 'a', from: 2, to: 3 },
      { solid: 'b', from: 4, to: 4 },
      { solid: 'b', from: 6, to: 6 },
    ])
  })
  it('says lengths as people do', () => {
    expect([0.00123, 0.0179, 0.12, 3.4].map(length)).toEqual(['1.2 mm', '1.8 cm', '12 cm', '3.4 m'])
  })
  it('breaks a line where there is nothing', () => {
    const drawn = line(
      along.frames,
      (f) => f.left_px ?? null,
      (f) => f,
      (v) => v,
    )
    expect(drawn).toBe('M1.0 20.0M9.0 12.0')
  })
})
