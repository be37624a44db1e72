/** A shot's state from what has changed in it since the one that is known. */
import type { ShotState } from '../api/client'

type ById = { id: string }[]

/** The items that are named, in order: those that came, and the rest as they were known. */
function named<T extends ById>(order: string[], came: T, known: T): T {
  const at = new Map([...known, ...came].map((item) => [item.id, item]))
  return order.flatMap((id) => at.get(id) ?? []) as T
}

/** Whether an answer can be put together with what is known; one that is whole always can. */
export const fits = (known: ShotState | null, next: ShotState) =>
  next.since === null ||
  next.since === undefined ||
  (known?.id === next.id && known.born === next.born && known.revision === next.since)

/** The whole state. What has not changed stays the very same object, so that nothing that shows it is drawn anew. */
export function merged(known: ShotState | null, next: ShotState): ShotState {
  const order = next.order
  if (!known || !order || next.since === null || next.since === undefined) return next
  const shot = {
    ...next.shot,
    photos: named(order.photos, next.shot.photos ?? [], known.shot.photos ?? []),
    ties: named(order.ties, next.shot.ties ?? [], known.shot.ties ?? []),
    solids: named(order.solids, next.shot.solids ?? [], known.shot.solids ?? []),
    plates: named(order.plates, next.shot.plates ?? [], known.shot.plates ?? []),
  }
  return { ...next, since: null, order: null, shot, shapes: named(order.solids, next.shapes, known.shapes) }
}
