import { expect, test } from 'vitest'
import { partsOf } from './parts'

test('of a place only the number that was typed is sent, of a shape all of it', () => {
  const was = { id: 'hut', corner: [1, 2, 3], turn_deg: 4, points: [[0, 0]], span: [1, 2], motion: null }
  expect(partsOf(was, { ...was, corner: [1, 2.5, 3] })).toEqual({ 'corner.1': 2.5 })
  expect(partsOf(was, { ...was, turn_deg: 5, points: [[0, 1]] })).toEqual({ turn_deg: 5, points: [[0, 1]] })
  expect(partsOf(was, { ...was, span: [1, 2, 3] })).toEqual({ span: [1, 2, 3] })
  expect(partsOf(was, { ...was, corner: undefined })).toEqual({ corner: null })
  expect(partsOf(was, { ...was })).toEqual({})
})
