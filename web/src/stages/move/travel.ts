/** Paces: speed curves as handles of frame and progress. */
type Curve = [number, number][]
interface Pace {
  label: string
  curve: (span: [number, number]) => Curve | null
}
const through =
  (...shares: [number, number][]) =>
  ([a, b]: [number, number]): Curve =>
    shares.map(([t, p]) => [a + t * (b - a), p])

export const PACES: Record<string, Pace> = {
  even: { label: 'as the keys have it', curve: () => null },
  middle: { label: 'quick, slow in the middle, quick', curve: through([0, 0], [0.3, 0.42], [0.7, 0.58], [1, 1]) },
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
