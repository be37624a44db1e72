import { describe, expect, it } from 'vitest'
import { costOf, TITLES } from './ways'

const way = (kind: keyof typeof TITLES, cost: object, holds = true) => ({
  kind,
  holds,
  cost: cost as Record<string, unknown>,
  why: '',
  can_apply: holds,
})
const named = (id: string) => id.toUpperCase()

describe('what ways out cost', () => {
  it('is said with units', () => {
    expect(costOf(way('part', { fraction: 0.1923 }), named)).toBe('19.2 % of the way from home.')
    expect(costOf(way('lens', { focal_percent: 6.15 }), named)).toContain('Focal length 6 % longer')
    const path = costOf(way('path', { offset: [0.5, 0, -0.25], metres: 0.559 }), named)
    expect(path).toBe('0.56 m away: 0.50 along Run, 0.00 up, -0.25 along Return.')
    expect(costOf(way('paint', { regions: 11, pixels: 21978 }), named)).toBe('11 regions, 21,978 photo px.')
  })
  it('says nothing of limits that no raising could help', () => {
    expect(costOf(way('limit', {}), named)).toBe('')
  })
  it('names pieces, and gaps only where their limit is raised', () => {
    const surfaces = { roof: { stretch: 2.46, magnification: 1.55 } }
    const same = costOf(way('limit', { surfaces, gap_percent: 0.05, was_gap_percent: 0.05 }), named)
    expect(same).toBe('ROOF 2.5 : 1, 1.6 px/px.')
    const raised = costOf(way('limit', { surfaces, gap_percent: 0.44, was_gap_percent: 0.05 }), named)
    expect(raised).toContain('without picture 0.44 %')
    expect(costOf(way('extend', { void_percent: 0, surfaces: [] }, false), named)).toContain('0.00 % of a frame')
    expect(costOf(way('extend', { void_percent: 3, surfaces: ['sky'], times: 2.56 }), named)).toContain(
      'SKY, 2.6 times',
    )
  })
})
