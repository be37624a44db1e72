import { describe, expect, it } from 'vitest'
import { areaOf, contour, turnedOver, type Room } from './room'

function cone(across: number, step: number, radius: number): Room {
  const half = ((across - 1) * step) / 2
  const margin = Array.from({ length: across * across }, (_, n) => {
    const [x, z] = [(n % across) * step - half, Math.floor(n / across) * step - half]
    return radius - Math.hypot(x, z)
  })
  return { frame: 1, height_m: 1.6, area: [-half, -half, half, half], step, across, along: across, margin, open: [] }
}

describe('the line on which a frame just holds', () => {
  it('is a circle where margins are a cone', () => {
    const line = contour(cone(41, 0.25, 3))
    expect(line.length).toBeGreaterThan(60)
    for (const [x, z] of line.flat()) expect(Math.abs(Math.hypot(x, z) - 3)).toBeLessThan(0.02)
    const round = line.reduce((sum, [a, b]) => sum + Math.hypot(a[0] - b[0], a[1] - b[1]), 0)
    expect(round).toBeCloseTo(2 * Math.PI * 3, 1)
  })
  it('lies elsewhere for another level, and nowhere when all hold', () => {
    for (const [x, z] of contour(cone(41, 0.25, 3), 1).flat()) expect(Math.hypot(x, z)).toBeCloseTo(2, 1)
    expect(contour(cone(11, 0.25, 9))).toEqual([])
  })
})

describe('places that are open', () => {
  it('count neither as holding nor as failing, and turn over with their rows', () => {
    const flat: Room = { ...cone(3, 2, 9), open: [0, 5] }
    expect(areaOf(flat)).toEqual({ holds: 7 * 4, open: 2 * 4 })
    expect(turnedOver(flat, true).open).toEqual([6, 5])
    expect(turnedOver(flat, false).open).toEqual([0, 5])
  })
})
