import { describe, expect, it } from 'vitest'
import type { ShotState } from '../api/client'
import { fits, merged } from './merge'

const item = (id: string, n = 0) => ({ id, n })
const state = (revision: number, ids: string[], more: object = {}): ShotState =>
  ({
    id: 's',
    born: 'b',
    revision,
    since: null,
    order: null,
    shot: { name: `at ${revision}`, photos: [], ties: [], solids: ids.map((id) => item(id)), plates: [] },
    shapes: ids.map((id) => item(id)),
    ...more,
  }) as unknown as ShotState
const change = (since: number, order: string[], came: { id: string; n: number }[]) =>
  ({
    ...state(since + 1, []),
    since,
    order: { photos: [], ties: [], solids: order, plates: [] },
    shot: { name: 'new', photos: [], ties: [], solids: came, plates: [] },
    shapes: came,
  }) as unknown as ShotState

describe('an answer', () => {
  const known = state(4, ['a', 'b', 'c'])
  it('that is whole replaces what is known', () => {
    const next = state(9, ['x'])
    expect(fits(known, next)).toBe(true)
    expect(merged(known, next)).toBe(next)
  })
  it('that says what has changed leaves all else the very same', () => {
    const next = change(4, ['c', 'd', 'a'], [item('d'), item('a', 7)])
    expect(fits(known, next)).toBe(true)
    const whole = merged(known, next)
    const solids = whole.shot.solids as unknown as { id: string; n: number }[]
    expect(solids).toEqual([item('c'), item('d'), item('a', 7)])
    expect(solids[0]).toBe(known.shot.solids![2])
    expect(whole.shapes.map((s) => s.id)).toEqual(['c', 'd', 'a'])
    expect([whole.shot.name, whole.revision, whole.since]).toEqual(['new', 5, null])
  })
  it('to what is no longer known does not fit', () => {
    expect(fits(known, change(3, [], []))).toBe(false)
    expect(fits(null, change(4, [], []))).toBe(false)
    expect(fits(known, { ...change(4, [], []), born: 'another' })).toBe(false)
  })
})
