/** In which frame of the move a plate bears least. */
import type { Schemas } from '../../api/client'

type Frames = NonNullable<Schemas['CheckState']['report']>['frames']

/**
 * The frame in which a plate is at fault over most of it; where it never is, the one in which anything is. Null while
 * the move has not been checked.
 */
export function worstFrame(frames: Frames | null | undefined, plate: string): { frame: number; own: boolean } | null {
  if (!frames?.length) return null
  const own = (f: Frames[number]) =>
    (f.causes ?? []).filter((c) => c.plate === plate).reduce((sum, c) => sum + c.percent, 0)
  const any = (f: Frames[number]) => f.void + f.bare + f.spilled + f.smeared + f.soft
  const most = (of: (f: Frames[number]) => number) => frames.reduce((best, f) => (of(f) > of(best) ? f : best))
  const mine = most(own)
  return own(mine) > 0 ? { frame: mine.frame, own: true } : { frame: most(any).frame, own: false }
}
