import { expect, test } from 'vitest'
import { passed } from './passed'

const order = (by: [string, number][], hides: [string, number][] = []) => ({
  hidden_by: by.map(([piece, percent]) => ({ piece, percent })),
  hides: hides.map(([piece, percent]) => ({ piece, percent })),
})

test('only what has come in between since then is told, the most first', () => {
  const said = passed(
    order([['post', 20]]),
    order(
      [
        ['post', 20.5],
        ['hut', 12.4],
        ['tank', 34],
      ],
      [['lamp', 7]],
    ),
    (id) => id,
  )
  expect(said).toEqual([
    'tank now hides 34 % of this flat at home.',
    'hut now hides 12 % of this flat at home.',
    'This flat now hides 7 % of lamp at home.',
  ])
})
test('nothing is told of what was there before, nor of soft borders', () => {
  expect(passed(order([['post', 20]], [['lamp', 3]]), order([['post', 15]], [['lamp', 3.9]]), (id) => id)).toEqual([])
})
