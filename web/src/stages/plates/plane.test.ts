import { describe, expect, it } from 'vitest'
import type { Vec2 } from '../../api/client'
import { marks, straightened } from './plane'

const PLANE = {
  area: [-2, 0.5, 4, 3.5] as [number, number, number, number],
  step: 0.004,
  // a wall that runs away to the right
  to_photo: [
    [400, 12, 900],
    [30, -380, 1400],
    [0.11, 0.004, 1],
  ],
}

describe('a face squared up', () => {
  it('leads to the photo and back', () => {
    const face = straightened(PLANE, 1200)
    expect(face.height).toBeCloseTo(600, 9)
    for (const p of [
      [0, 0],
      [1200, 600],
      [371.5, 222.25],
    ] as Vec2[]) {
      const there = face.toPhoto(p)
      face.fromPhoto(there).forEach((v, i) => expect(v).toBeCloseTo(p[i], 7))
    }
  })

  it('has metres level to the right and up', () => {
    const face = straightened(PLANE, 1200)
    expect(face.metres([0, 600])).toEqual([-2, 0.5])
    expect(face.metres([1200, 0])).toEqual([4, 3.5])
    expect(face.picture([1, 2])).toEqual([600, 300])
    const [u, v, w] = PLANE.to_photo.map((r) => r[0] * 1 + r[1] * 2 + r[2])
    expect(face.toPhoto([600, 300])).toEqual([u / w, v / w])
  })
})

describe('a ruler', () => {
  it('has marks 1, 2 or 5 apart that are no nearer than asked', () => {
    expect(marks(-2, 4, 0.9).map((m) => m.label)).toEqual(['-2', '-1', '0', '1', '2', '3', '4'])
    expect(marks(0.5, 1.1, 0.13).map((m) => m.label)).toEqual(['0.6', '0.8', '1.0'])
    expect(marks(0, 100, 21).map((m) => m.at)).toEqual([0, 50, 100])
  })
  it('has as many as fit, whatever the span', () => {
    for (let n = 0; n < 200; n++) {
      const from = Math.sin(n) * 50
      const span = 10 ** (Math.cos(n * 7) * 3)
      const found = marks(from, from + span, span / 8)
      expect(found.length).toBeGreaterThan(1)
      expect(found.length).toBeLessThan(11)
      found.forEach((m) => expect(Number(m.label)).toBeCloseTo(m.at, 9))
    }
  })
})
