/** Photos beside one another: the points they share, lens and standpoint, and the one that is compared. */
import { computed, ref } from 'vue'
import type { Photo, Tie, Vec2 } from '../../api/client'
import { between, carriedOut, freshId } from '../../hand/changes'
import { useShot } from '../../state/shot'

/** Pixels by which a shared point must be off before it is named, and before leaving it out is offered. */
export const WRONG = 5

const chosenTie = ref<string | null>(null)
const compareWith = ref<string | null>(null)
const compareHow = ref<'wipe' | 'blink' | 'difference'>('wipe')

export function useJoining() {
  const s = useShot()
  const ties = computed<Tie[]>(() => s.shot.ties as Tie[])
  const others = computed(() => s.shot.photos.filter((p) => p.id !== s.photo?.id))
  const lenses = computed(() => [...new Set(s.shot.photos.map((p) => p.lens).filter((l): l is string => !!l))])
  const tie = computed(() => ties.value.find((t) => t.id === chosenTie.value) ?? null)
  /** Faces of standing solids, and the ground, for a point to lie on. */
  const surfaces = computed(() => [
    { id: 'ground', name: 'the ground' },
    ...s
      .state!.shapes.filter((x) => !x.cutout)
      .flatMap((x) =>
        x.names.map((n) => ({
          id: `${x.id}/${n}`,
          name: `${s.shot.solids.find((o) => o.id === x.id)?.name ?? x.id}, ${n}`,
        })),
      ),
  ])

  async function keep(next: Tie[], label: string) {
    const change = between(ties.value, next)
    if (!change) return true
    return s.change('PATCH', `/ties?label=${encodeURIComponent(label)}`, change, (shot) => ({
      ...shot,
      ties: carriedOut(shot.ties as Tie[], change),
    }))
  }
  const copy = (): Tie[] => JSON.parse(JSON.stringify(ties.value)) as Tie[]
  function number() {
    let n = ties.value.length + 1
    while (ties.value.some((t) => t.name === `Point ${n}`)) n++
    return n
  }
  /** Put the chosen point, or a new one, at a pixel of the photo on the board. */
  async function place(photo: Photo, at: Vec2) {
    const next = copy()
    const open = next.find((t) => t.id === chosenTie.value && !t.seen?.[photo.id])
    if (open) {
      open.seen = { ...open.seen, [photo.id]: at }
      await keep(next, 'Click a shared point')
      return
    }
    const id = freshId()
    next.push({ id, name: `Point ${number()}`, seen: { [photo.id]: at }, surface: null, world: null, off_px: {} })
    chosenTie.value = id
    await keep(next, 'Click a shared point')
  }
  async function shift(id: string, photo: Photo, at: Vec2) {
    const next = copy()
    const t = next.find((x) => x.id === id)
    if (!t) return
    t.seen = { ...t.seen, [photo.id]: at }
    await keep(next, 'Move a shared point')
  }
  async function lay(id: string, surface: string | null) {
    const next = copy()
    const t = next.find((x) => x.id === id)
    if (t) t.surface = surface
    await keep(next, 'Lay a shared point on a surface')
  }
  async function rename(id: string, name: string) {
    const next = copy()
    const t = next.find((x) => x.id === id)
    if (t) t.name = name
    await keep(next, 'Rename a shared point')
  }
  async function remove(id: string) {
    chosenTie.value = null
    await keep(
      copy().filter((t) => t.id !== id),
      'Remove a shared point',
    )
  }
  /** Steady: nothing moved between the photo and its standpoint's, so that it has the same camera. */
  const share = (lens: string | null, standpoint: string | null, steady: boolean) =>
    s.change('PUT', `/photos/${s.photo!.id}/joining`, { lens, standpoint, steady })
  return {
    s,
    ties,
    tie,
    others,
    lenses,
    surfaces,
    chosenTie,
    compareWith,
    compareHow,
    place,
    shift,
    lay,
    rename,
    remove,
    share,
  }
}
