/** What of a thing a hand has changed, by part: a field, or one number of a short list of them (`corner.1`). Only that
 * is sent: what it did not touch stays as whoever else has left it. */
export type Parts = Record<string, unknown>
const SHORT = 4 // numbers: a place, a size; longer lists are shapes, and go as a whole

const numbers = (v: unknown): v is number[] =>
  Array.isArray(v) && v.length <= SHORT && v.every((x) => typeof x === 'number')

export function partsOf(was: object, now: object): Parts {
  const out: Parts = {}
  const [before, after] = [was as Parts, now as Parts]
  for (const name of Object.keys(after)) {
    const [a, b] = [before[name], after[name]]
    if (JSON.stringify(a) === JSON.stringify(b)) continue
    if (numbers(a) && numbers(b) && a.length === b.length) b.forEach((v, i) => v !== a[i] && (out[`${name}.${i}`] = v))
    else out[name] = b ?? null
  }
  return out
}
