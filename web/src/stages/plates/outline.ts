import { ref } from 'vue'
import type { Plate, Schemas, Throw, Vec2 } from '../../api/client'
import type { Apply } from '../../state/hand'
import type { useShot } from '../../state/shot'

/** The outline being drawn, in straightened photo pixels; null when none is. */
export const drawing = ref<Vec2[] | null>(null)
/** The outline step that a loop is drawn for, by its id; `step`: one of its own; null: a plate of its own. */
export const loopOf = ref<string | null>(null)
export const feather = ref(3)
export const grow = ref(12)

type Store = ReturnType<typeof useShot>
/** A shot with one plate otherwise. */
const withPlate =
  (id: string, change: Partial<Plate>): Apply =>
  (shot) => ({ ...shot, plates: shot.plates.map((p) => (p.id === id ? { ...p, ...change } : p)) })

export const rename = (s: Store, id: string, name: string) =>
  s.change('PUT', `/plates/${id}`, { name }, withPlate(id, { name }))

/** Remove a plate, its clean plate and their throws. */
export function remove(s: Store, id: string) {
  const gone = new Set([id, ...s.shot.plates.flatMap((p) => (p.clean_of === id ? [p.id] : []))])
  return s.change('DELETE', `/plates/${id}`, undefined, (shot) => ({
    ...shot,
    plates: shot.plates.filter((p) => !gone.has(p.id)),
    throws: shot.throws.filter((t) => !gone.has(t.plate)),
  }))
}

type ThrowChange = Partial<Schemas['ThrowChange']>
/** Change one plate's throw: what is added to its targets and taken away, whether it looks, its place in the order. */
export const changeThrow = (s: Store, plate: string, change: ThrowChange) =>
  s.change('PATCH', `/throws/${plate}`, change, (shot) => ({ ...shot, throws: thrown(shot.throws, plate, change) }))

export function thrown(throws: Throw[], plate: string, change: ThrowChange): Throw[] {
  const at = throws.findIndex((t) => t.plate === plate)
  if (at < 0) return throws
  const old = throws[at]
  const left = old.targets.filter((t) => !change.drop?.includes(t))
  const targets = [...left, ...(change.add ?? []).filter((t) => !left.includes(t))]
  const out = throws.filter((_, i) => i !== at)
  const place = Math.min(change.place ?? at, out.length)
  const grade = change.ungraded ? null : (change.grade ?? old.grade)
  const seam = change.unseamed ? null : (change.seam ?? old.seam)
  const occlusion = change.occlusion ?? old.occlusion
  const reached = (name: string) => targets.includes(name) || targets.includes(name.split('/')[0])
  const first_on = (change.first_on ?? old.first_on).filter(reached)
  out.splice(place, 0, { ...old, targets, occlusion, opacity: change.opacity ?? old.opacity, grade, seam, first_on })
  return out
}

/** A list without some of its items from a place on, and with others in their stead. */
export const spliced = <T>(list: T[], at: number, without: number, ...items: T[]) => [
  ...list.slice(0, at),
  ...items,
  ...list.slice(at + without),
]
