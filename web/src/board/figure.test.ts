import { describe, expect, it } from 'vitest'
import type { Camera, Vec2 } from '../api/client'
import { bendPixel } from './camera'
import { figureAt, straightened, TALL } from './figure'

const camera = (more = {}): Camera =>
  ({
    width: 1200,
    height: 800,
    focal_px: 1000,
    principal_point: [600, 400],
    distortion: [0, 0, 0, 0, 0],
    rotation: [
      [1, 0, 0],
      [0, -1, 0],
      [0, 0, -1],
    ],
    position: [0, 1.6, 0],
    ...more,
  }) as unknown as Camera

describe('a standing figure', () => {
  it('stands where the pointer is and is 1.7 m tall', () => {
    const points = figureAt(camera(), [700, 560]).flat() // the ground 10 m away
    const [top, foot] = [Math.min(...points.map((p) => p[1])), Math.max(...points.map((p) => p[1]))]
    expect(foot).toBeCloseTo(560, 0) // its feet, level, are a hair nearer or farther than the spot
    expect(foot - top).toBeCloseTo((TALL / 10) * 1000, 0)
    const xs = points.map((p) => p[0])
    expect((Math.min(...xs) + Math.max(...xs)) / 2).toBeCloseTo(700, 0)
    expect(top).toBeLessThan(400) // taller than the eye is high
  })
  it('does not stand in the sky, nor where there is no scale', () => {
    expect(figureAt(camera(), [600, 300])).toEqual([])
    expect(figureAt(camera({ position: null }), [600, 560])).toEqual([])
  })
  it('stands on the spot of the picture as taken, though the lens bends', () => {
    const bent = camera({ distortion: [-0.15, 0.02, 0.001, 0, 0] })
    const pixel: Vec2 = [1000, 700]
    const back = bendPixel(bent, straightened(bent, pixel))
    expect(back[0]).toBeCloseTo(1000, 3)
    expect(back[1]).toBeCloseTo(700, 3)
  })
})
