import { describe, expect, it } from 'vitest'
import type { Shot } from '../api/client'
import { pieceName, plateName, surfaceName } from './names'

const shot = { plates: [{ id: 'p', name: 'Photo' }], solids: [{ id: 'hut', name: 'The hut' }] } as Shot

describe('names', () => {
  it('are those of plates, pieces and faces', () => {
    expect(plateName(shot, 'p')).toBe('Photo')
    expect([pieceName(shot, 'hut'), pieceName(shot, 'hut/front')]).toEqual(['The hut', 'The hut'])
    expect([surfaceName(shot, 'hut'), surfaceName(shot, 'hut/front')]).toEqual(['The hut', 'The hut, front'])
  })
  it('are the ids of what has gone', () => {
    expect([plateName(shot, 'q'), pieceName(shot, 'shed/top'), surfaceName(shot, 'shed/top')]).toEqual([
      'q',
      'shed',
      'shed, top',
    ])
  })
})
