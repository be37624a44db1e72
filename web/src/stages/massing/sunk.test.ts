import { describe, expect, it } from 'vitest'
import type { Solid, Vec2, Vec3 } from '../../api/client'
import { levelAt, sunk } from './sunk'

const ground = { id: 'g', kind: 'ground', centre: [0, 0], size: [20, 40], height: 0.2, profile: [], along: 'run' }
const plain = ground as unknown as Extract<Solid, { kind: 'ground' }>
const profile: Vec2[] = [
  [-10, 1],
  [0, 1],
  [0, 0],
  [20, 2],
]
const stepped = { ...ground, along: 'return', profile } as unknown as typeof plain

describe('the ground under a piece', () => {
  it('lies where it reaches, along its profile', () => {
    expect(levelAt(plain, 9, 19)).toBe(0.2)
    expect(levelAt(plain, 11, 0)).toBe(null)
    expect(levelAt(stepped, 0, -5)).toBeCloseTo(1.2)
    expect(levelAt(stepped, 0, 10)).toBeCloseTo(1.2)
    expect(levelAt(stepped, 0, 5)).toBeCloseTo(0.7)
    expect(levelAt(stepped, 0, -11)).toBe(null)
    expect(levelAt(stepped, 12, 0)).toBe(null)
  })
  it('hides what lies deepest under it, and nothing of what stands on it', () => {
    const feet = [-0.33, 0.2].map((rise): Vec3 => [1, rise, 0])
    feet.push([30, -5, 0])
    expect(sunk(feet, [plain])).toMatchObject({ level: 0.2 })
    expect(sunk(feet, [plain])!.by).toBeCloseTo(0.53)
    expect(sunk([[0, 0.2, 0]], [plain])).toBe(null)
    expect(sunk(feet, [{ ...plain, in_set: false } as Solid])).toBe(null)
  })
})
