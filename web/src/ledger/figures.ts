/** Figures as they are typed: comma or point, and sums in the field. */

/** A sentence whose figures keep their units on one line. */
export const unbroken = (text: string) =>
  text.replace(/(\d) (?=(?:%|m|mm|px|°|px\/px|f|s)(?![\w/]))/g, '$1\u00a0').replace(/ : (?=\d)/g, '\u00a0:\u00a0')

/** The value of what was typed, as `3.2/2` or `(1,5 + 2) * 3`; null where it is no sum of numbers. */
export function figureOf(text: string): number | null {
  const tokens = text.replaceAll(',', '.').match(/\d+\.?\d*(?:e[+-]?\d+)?|\.\d+(?:e[+-]?\d+)?|[-+*/()]|\S/gi) ?? []
  let at = 0
  const next = () => tokens[at]
  function primary(): number {
    const token = tokens[at++]
    if (token === '-') return -primary()
    if (token === '+') return primary()
    if (token === '(') {
      const value = sum()
      return tokens[at++] === ')' ? value : NaN
    }
    return token !== undefined && /^[\d.]/.test(token) ? Number(token) : NaN
  }
  function product(): number {
    let value = primary()
    while (next() === '*' || next() === '/') value = tokens[at++] === '*' ? value * primary() : value / primary()
    return value
  }
  function sum(): number {
    let value = product()
    while (next() === '+' || next() === '-') value = tokens[at++] === '+' ? value + product() : value - product()
    return value
  }
  const value = sum()
  return at === tokens.length && Number.isFinite(value) ? value : null
}

/** How far one key or a pixel of a drag goes: coarse with Shift, fine with Alt. */
export const strideOf = (step: number, event: { shiftKey: boolean; altKey: boolean }) =>
  step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1)

/** A value a few strides on, within bounds, without the dust of binary fractions. */
export function stepped(value: number, by: number, min: number, max: number): number {
  const digits = Math.max(0, 2 - Math.floor(Math.log10(Math.abs(by) || 1)))
  return Math.min(max, Math.max(min, Number((value + by).toFixed(Math.min(digits, 12)))))
}
