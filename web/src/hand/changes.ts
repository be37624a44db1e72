/** Changes by identity: what leads from one list to another, and what comes of it. As model/changes.py has it. */
import type { Schemas, Survey } from '../api/client'

export interface Items<T> {
  added: T[]
  changed: ({ id: string } & Partial<T>)[]
  removed: string[]
}
type Named = { id: string }

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** What has changed between two lists, field by field; null when nothing has. */
export function between<T extends Named>(before: readonly T[], after: readonly T[]): Items<T> | null {
  const old = new Map(before.map((x) => [x.id, x]))
  const now = new Set(after.map((x) => x.id))
  const out: Items<T> = { added: [], changed: [], removed: before.filter((x) => !now.has(x.id)).map((x) => x.id) }
  for (const item of after) {
    const was = old.get(item.id)
    if (!was) out.added.push(item)
    else {
      const fields = (Object.keys(item) as (keyof T)[]).filter((k) => !same(item[k], was[k]))
      if (fields.length) {
        const change = Object.fromEntries(fields.map((k) => [k, item[k]]))
        out.changed.push({ id: item.id, ...change } as Items<T>['changed'][number])
      }
    }
  }
  return out.added.length || out.changed.length || out.removed.length ? out : null
}

/** The list after a change. What is gone stays gone. */
export function carriedOut<T extends Named>(items: readonly T[], change: Items<T> | null | undefined): T[] {
  if (!change) return [...items]
  const gone = new Set(change.removed)
  const altered = new Map(change.changed.map((c) => [c.id, c]))
  const left = items.filter((x) => !gone.has(x.id)).map((x) => (altered.has(x.id) ? { ...x, ...altered.get(x.id) } : x))
  const there = new Set(left.map((x) => x.id))
  return [...left, ...change.added.filter((x) => !there.has(x.id))]
}

export interface SurveyChange {
  edges?: Items<Schemas['Edge']>
  lengths?: Items<Schemas['Length']>
  given?: Partial<Survey>
}

/** What has changed between two surveys; null when nothing has. */
export function surveyChange(before: Survey, after: Survey): SurveyChange | null {
  const out: SurveyChange = {}
  const edges = between(before.edges, after.edges)
  const lengths = between(before.lengths, after.lengths)
  if (edges) out.edges = edges
  if (lengths) out.lengths = lengths
  const names = (Object.keys(after) as (keyof Survey)[]).filter((k) => k !== 'edges' && k !== 'lengths')
  const given = names.filter((k) => !same(before[k], after[k])).map((k) => [k, after[k]])
  if (given.length) out.given = Object.fromEntries(given) as Partial<Survey>
  return Object.keys(out).length ? out : null
}

export const surveyAfter = (survey: Survey, change: SurveyChange): Survey => ({
  ...survey,
  ...change.given,
  edges: carriedOut(survey.edges, change.edges),
  lengths: carriedOut(survey.lengths, change.lengths),
})

/** An id for something new: no other page makes the same one. */
export const freshId = () => {
  const bits = crypto.getRandomValues(new Uint32Array(2))
  return `n${bits[0].toString(36)}${bits[1].toString(36)}`
}
