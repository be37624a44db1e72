/** Paces: speed curves as handles of frame and progress. */
import type { Key } from '../../api/client'

type Curve = [number, number][]
interface Pace {
  label: string
  curve: (span: [number, number]) => Curve | null
  /** Whether its ends need keys that are passed in motion: progress is along their own time, in which they rest. */
  inMotion?: true
}
const through =
  (...shares: [number, number][]) =>
  ([a, b]: [number, number]): Curve =>
    shares.map(([t, p]) => [a + t * (b - a), p])

export const PACES: Record<string, Pace> = {
  even: { label: 'as the keys have it', curve: () => null },
  middle: {
    label: 'quick, slow in the middle, quick',
    curve: through([0, 0], [0.3, 0.42], [0.7, 0.58], [1, 1]),
    inMotion: true,
  },
  ends: { label: 'slow, quick in the middle, slow', curve: through([0, 0], [0.35, 0.18], [0.65, 0.82], [1, 1]) },
  late: { label: 'slow at first', curve: through([0, 0], [0.5, 0.25], [1, 1]) },
  early: { label: 'slow at last', curve: through([0, 0], [0.5, 0.75], [1, 1]) },
}
/** Which pace a curve is; `own` if none of these. */
export function paceOf(curve: Curve | null | undefined, span: [number, number]): string {
  if (!curve) return 'even'
  const same = (other: Curve | null) =>
    other?.length === curve.length &&
    other.every(([f, p], i) => Math.abs(f - curve[i][0]) + Math.abs(p - curve[i][1]) < 1e-6)
  return Object.entries(PACES).find(([, p]) => same(p.curve(span)))?.[0] ?? 'own'
}

const passed = (key: Key) => !!(key.velocity ?? key.speed)
const placing = (keys: Key[]) => keys.filter((k) => !k.free?.includes('position'))
/** Whether the first and the last key are passed in motion; null where nothing travels between two places. */
export function endsInMotion(keys: Key[]): boolean | null {
  const placed = placing(keys)
  return placed.length > 1 ? passed(placed[0]) && passed(placed[placed.length - 1]) : null
}
/** Keys with ends that are passed as fast as the way to the next key takes evenly, or rest: as the server has them. */
export function withEnds(keys: Key[], inMotion: boolean): Key[] {
  const placed = placing(keys)
  if (placed.length < 2) return keys
  const last = placed.length - 1
  const ends = new Map([
    [placed[0], placed[1]],
    [placed[last], placed[last - 1]],
  ])
  return keys.map((key) => {
    const next = ends.get(key)
    if (!next) return key
    if (!inMotion) return { ...key, speed: null, velocity: null }
    const way = Math.hypot(...next.position.map((x, i) => x - key.position[i]))
    return passed(key) || !way ? key : { ...key, ease: null, speed: way / Math.abs(next.frame - key.frame) }
  })
}
