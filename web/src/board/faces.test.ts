import { describe, expect, it } from 'vitest'
import type { Shot } from '../api/client'
import { addedPieces } from './faces'

const shot = (throws: [string, string[]][]) =>
  ({
    plates: [
      { id: 'photo', role: 'photo' },
      { id: 'smoke', role: 'added' },
      { id: 'film', role: 'added' },
    ],
    throws: throws.map(([plate, targets]) => ({ plate, targets })),
  }) as unknown as Pick<Shot, 'plates' | 'throws'>

describe('pieces that stood before no lens', () => {
  it('are those that have nothing but plates that were added', () => {
    const found = addedPieces(
      shot([
        ['smoke', ['veil', 'wall/front']],
        ['photo', ['wall']],
        ['film', ['veil/front', 'screen']],
      ]),
    )
    expect([...found].sort()).toEqual(['screen', 'veil'])
  })
  it('are not those that nothing is thrown on', () => {
    expect(addedPieces(shot([['smoke', []]])).size).toBe(0)
  })
})
