/** What is typed into a figure, and what keys make of it. */
import { describe, expect, it } from 'vitest'
import { figureOf, stepped, strideOf, unbroken } from './figures'

describe('a figure', () => {
  it.each([
    ['3.2/2', 1.6],
    ['3,2 / 2', 1.6],
    ['-4', -4],
    ['+.5', 0.5],
    ['2 + 3 * 4', 14],
    ['(2 + 3) * 4', 20],
    ['2 - 3 - 4', -5],
    ['16 / 4 / 2', 2],
    ['-(1,5 + 1.5) * -2', 6],
    ['1e3', 1000],
    ['2.5E-1', 0.25],
    ['7.', 7],
    ['2*-3', -6],
  ])('typed as %s is %f', (text, value) => {
    expect(figureOf(text)).toBeCloseTo(value, 12)
  })
  it.each([
    '',
    ' ',
    'abc',
    '1..2',
    '3 m',
    '2 3',
    '1/0',
    '(2',
    '2)',
    '1+',
    '*3',
    '0x10',
    '1e999',
    'alert(1)',
    '--',
    'NaN',
  ])('typed as “%s” is none', (text) => {
    expect(figureOf(text)).toBeNull()
  })
  it('agrees with the machine on sums made up at random', () => {
    let seed = 7
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647
    const made = (depth: number): string => {
      if (depth === 0 || random() < 0.3) return (random() * 20).toFixed(2)
      const [a, b] = [made(depth - 1), made(depth - 1)]
      const sign = '+-*/'[Math.floor(random() * 4)]
      return random() < 0.5 ? `(${a} ${sign} ${b})` : `${a}${sign}${b}`
    }
    for (let i = 0; i < 300; i++) {
      const text = made(4)
      const wanted = Function(`return ${text}`)() as number
      if (Number.isFinite(wanted)) expect(figureOf(text)).toBeCloseTo(wanted, 9)
    }
  })
})

describe('keys', () => {
  it('go a step, ten with Shift and a tenth with Alt', () => {
    expect(strideOf(0.1, { shiftKey: false, altKey: false })).toBe(0.1)
    expect(strideOf(0.1, { shiftKey: true, altKey: false })).toBe(1)
    expect(strideOf(0.1, { shiftKey: false, altKey: true })).toBeCloseTo(0.01, 12)
  })
  it('leave no dust of binary fractions, and stay within bounds', () => {
    let value = 0
    for (let i = 0; i < 100; i++) value = stepped(value, 0.1, -Infinity, Infinity)
    expect(value).toBe(10)
    expect(stepped(9.95, 0.1, 0, 10)).toBe(10)
    expect(stepped(0.05, -1, 0, 10)).toBe(0)
    expect(stepped(1.23456, 0.01, 0, 10)).toBe(1.2446)
  })
})

describe('a sentence', () => {
  it('keeps figures and their units on one line, and breaks elsewhere', () => {
    const [said, n] = [unbroken('Ground 3.8 : 1, 2.8 px/px; 0.33 % of 5 frames, 1.92 m off, 12 mm'), '\u00a0']
    expect(said).toBe(`Ground 3.8${n}:${n}1, 2.8${n}px/px; 0.33${n}% of 5 frames, 1.92${n}m off, 12${n}mm`)
    expect(unbroken('50 of 120 frames: 1 to 9, 80 meadows')).toBe('50 of 120 frames: 1 to 9, 80 meadows')
  })
})
