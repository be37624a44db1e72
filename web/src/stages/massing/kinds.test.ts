/** The entries of the kinds: typing a figure changes that figure and no other; feet and keys. */
import { describe, expect, it } from 'vitest'
import type { Solid } from '../../api/client'
import { figuresOf as entryFigures, footOf, KINDS } from './kinds'
import { TOOLS } from './tools'

const PIECES = {
  room: { size: [6, 3, 8], corner: [1, 0, 2], turn_deg: 12 },
  ground: { height: 0.4, size: [40, 50], centre: [3, 7] },
  block: { size: [4, 5, 6], corner: [1, 2, 3], turn_deg: -30 },
  gable: { size: [4, 2, 6], corner: [1, 5, 3], turn_deg: 0, overhang: 0.4, hip: 0 },
  wall: { height: 2.5, base: 0.5, a: [0, 2], b: [4, 8] },
  slab: {
    level: 1.2,
    thickness: 0.2,
    outline: [
      [1, 2],
      [5, 2],
      [5, 6],
    ],
  },
  column: { radius_foot: 0.4, radius_top: 0.3, height: 6, sides: 12, turn_deg: 0, foot: [2, 0, 9] },
  steps: { size: [2, 1, 3], corner: [0, 0, 4], turn_deg: 5, count: 6 },
  panel: {
    points: [
      [1, 2, 3],
      [2, 2, 3],
      [2, 3, 3],
    ],
  },
  flat: { foot: [1, 0, 12], heading_deg: 40 },
  backdrop: {
    distance: 80,
    width: 120,
    height: 40,
    viewer: [1, 2, 3],
    base: -1,
    heading_deg: 90,
    arc_deg: 30,
    dome_deg: 0,
  },
  imported: { position: [1, 2, 3], turn_deg: 45, scale: 0.01 },
} as const

type Drawn = keyof typeof PIECES
const drawn = Object.keys(PIECES) as Drawn[]
const figuresOf = (kind: Drawn, piece: object) => entryFigures({ kind, ...piece } as unknown as Solid)

describe.each(drawn)('%s', (kind) => {
  const piece = JSON.parse(JSON.stringify(PIECES[kind])) as Record<string, unknown>
  const before = figuresOf(kind, piece).map((f) => f.get())

  it('shows a number for every figure, and none twice', () => {
    const figures = figuresOf(kind, piece)
    figures.forEach((f) => expect(Number.isFinite(f.get()), f.label).toBe(true))
    expect(new Set(figures.map((f) => f.label)).size).toBe(figures.length)
  })
  it('has a unit on everything that is not a count', () => {
    figuresOf(kind, piece).forEach((f) => expect(f.unit !== '' || f.digits === 0, f.label).toBe(true))
  })
  it('changes what is typed and nothing beside it', () => {
    before.forEach((_, i) => {
      const typed = 17.25 + i
      const change = figuresOf(kind, piece)[i].set(typed)
      const after = figuresOf(kind, { ...piece, ...change }).map((f) => f.get())
      expect(after).toEqual(before.map((v, j) => (j === i ? typed : v)))
    })
  })
  it('leaves the piece itself alone until the server has answered', () => {
    figuresOf(kind, piece).forEach((f) => f.set(99))
    expect(piece).toEqual(PIECES[kind])
  })
  it('lets nothing be typed that would be no body', () => {
    const sizes = figuresOf(kind, piece).filter((f) => /Height$|Along|Thickness|Radius|Wide|Deep/.test(f.label))
    sizes.filter((f) => f.unit === 'm').forEach((f) => expect(f.min, f.label).toBeGreaterThan(0))
  })
})

describe('feet', () => {
  const foot = (kind: Drawn) => footOf({ kind, ...PIECES[kind] } as unknown as Solid)

  it('of a wall are half way along it', () => expect(foot('wall')).toEqual([2, 0.5, 5]))
  it('of a slab are under it', () => {
    expect(foot('slab')[1]).toBeCloseTo(1, 12)
    expect([foot('slab')[0], foot('slab')[2]]).toEqual([1, 2])
  })
  it('of the ground are its centre at its height', () => expect(foot('ground')).toEqual([3, 0.4, 7]))
  it('of a backdrop are as far off as it stands, the way it looks', () => {
    // heading 90°: along run
    foot('backdrop').forEach((v, i) => expect(v).toBeCloseTo([81, -1, 3][i], 9))
  })
  it('of what has a corner or a foot are there', () => {
    expect(foot('block')).toEqual(PIECES.block.corner)
    expect(foot('column')).toEqual(PIECES.column.foot)
    expect(foot('flat')).toEqual(PIECES.flat.foot)
  })
})

describe('the tools', () => {
  it('have a key each', () => {
    expect(new Set(TOOLS.map((t) => t.key)).size).toBe(TOOLS.length)
    TOOLS.forEach((t) => expect(t.key).toMatch(/^[A-Z]$/))
  })
  it('hold every kind that can be drawn once', () => {
    const can = (Object.keys(KINDS) as Solid['kind'][]).filter((k) => KINDS[k].tool)
    can.forEach((k) => expect(TOOLS.filter((t) => t.id === k).length, k).toBe(1))
  })
  it('say what to do, but for those that ask nothing of the hand', () => {
    TOOLS.filter((t) => t.way !== 'choose' && t.way !== 'direct').forEach((t) =>
      expect(t.hint.length, t.id).toBeGreaterThan(10),
    )
  })
})
