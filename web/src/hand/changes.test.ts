/** Changes by identity against those of the server: the vectors are written by Python. */
import { describe, expect, it } from 'vitest'
import type { Schemas, Survey } from '../api/client'
import cases from './changes.gen.json'
import { between, carriedOut, freshId, surveyAfter, surveyChange, type SurveyChange } from './changes'

describe.each(cases.map((c, i) => [i, c] as const))('change %i', (_, c) => {
  const before = c.before as unknown as Survey
  const after = c.after as unknown as Survey
  const change = c.change as unknown as SurveyChange

  it('comes to what the server makes of it', () => {
    expect(surveyAfter(before, change)).toEqual(after)
  })
  it('is found again from both surveys, and leads from one to the other', () => {
    const found = surveyChange(before, after)
    expect(found ? surveyAfter(before, found) : before).toEqual(after)
    const back = surveyChange(after, before)
    const undone = back ? surveyAfter(after, back) : after
    const byId = (s: Survey) => ({
      ...s,
      edges: [...s.edges].sort((a, b) => a.id.localeCompare(b.id)),
      lengths: [...s.lengths].sort((a, b) => a.id.localeCompare(b.id)),
    })
    expect(byId(undone)).toEqual(byId(before))
  })
  it('leaves what it was made from as it was', () => {
    const kept = JSON.stringify(before)
    surveyAfter(before, change)
    expect(JSON.stringify(before)).toBe(kept)
  })
})

const edge = (
  id: string,
  points: number[][] = [
    [0, 0],
    [9, 9],
  ],
) => ({ id, family: 'run', points }) as Schemas['Edge']

describe('what has changed in a list', () => {
  it('is nothing where nothing has', () => {
    expect(between([edge('a')], [edge('a')])).toBeNull()
  })
  it('names the fields that are otherwise, and no others', () => {
    expect(
      between(
        [edge('a'), edge('b')],
        [
          edge('b', [
            [1, 1],
            [9, 9],
          ]),
          edge('c'),
        ],
      ),
    ).toEqual({
      added: [edge('c')],
      changed: [
        {
          id: 'b',
          points: [
            [1, 1],
            [9, 9],
          ],
        },
      ],
      removed: ['a'],
    })
  })
  it('is laid over what another page has changed meanwhile', () => {
    const mine = between([edge('a'), edge('b')], [{ ...edge('a'), family: 'rise' }, edge('b')])
    const theirs = [
      edge('a', [
        [5, 5],
        [9, 9],
      ]),
      edge('z'),
    ]
    expect(carriedOut(theirs, mine)).toEqual([
      {
        ...edge('a', [
          [5, 5],
          [9, 9],
        ]),
        family: 'rise',
      },
      edge('z'),
    ])
  })
  it('brings nothing back that is gone', () => {
    const mine = between(
      [edge('a')],
      [
        edge('a', [
          [5, 5],
          [9, 9],
        ]),
      ],
    )
    expect(carriedOut([], mine)).toEqual([])
  })
  it('is added once', () => {
    const mine = between([], [edge('a')])
    expect(carriedOut(carriedOut([], mine), mine)).toEqual([edge('a')])
  })
})

it('gives ids that differ', () => {
  expect(new Set(Array.from({ length: 2000 }, freshId)).size).toBe(2000)
})
