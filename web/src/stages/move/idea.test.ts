import { describe, expect, it } from 'vitest'
import { drawnFar, IDEAS, type Kind } from './idea'

const D = { width: 1920, height: 1080, focal: 1600, depth: 8 }

describe('a move drawn in the lens view', () => {
  it('goes nearer by the share of the frame that is dragged up, and never through', () => {
    expect(drawnFar('push_in', 0, -270, D)).toBe(2)
    expect(drawnFar('counter', 300, -540, D)).toBe(4)
    expect(drawnFar('push_in', 0, -5000, D)).toBe(7.2)
    expect(drawnFar('push_in', 0, 270, D)).toBe(-2)
    expect(drawnFar('pull_out', 0, 270, D)).toBe(2)
  })
  it('takes what was pressed along', () => {
    // 200 px at 8 m and 1600 px focal length are a metre
    expect(drawnFar('slide', -200, 50, D)).toBe(1)
    expect(drawnFar('rise', 9, -400, D)).toBe(2)
    expect(drawnFar('pan', -1600, 0, D)).toBeCloseTo(57.3, 1)
    expect(drawnFar('arc', -480, 0, D)).toBe(22.5)
  })
  it('is nothing, and never minus nothing, where nothing is dragged', () => {
    for (const kind of Object.keys(IDEAS) as Kind[]) expect(Object.is(drawnFar(kind, 0, 0, D), 0)).toBe(true)
  })
})
