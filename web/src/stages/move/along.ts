/** What was seen along the move, shared by the ledger, the strip and the lens view. */
import { computed, ref, shallowRef } from 'vue'
import type { Schemas, Vec2 } from '../../api/client'

export type Along = Schemas['Along']
export const LINES = { speed: 'speed', pixels: 'pixels per frame', room: 'room beyond the frame' } as const
export const SIDES = ['left', 'right', 'top', 'bottom'] as const
export type Side = (typeof SIDES)[number]

const look = shallowRef<Along | null>(null)
const lines = ref<keyof typeof LINES>('speed')
/** A place in a frame that was pointed out. */
const mark = shallowRef<{ frame: number; at: Vec2; says: string } | null>(null)

/** Frames that a cut-out hides wholly. */
const covers = computed(() => (look.value ? hidden(look.value) : []))

export const useAlong = () => ({ look, lines, mark, covers })

/** How far beyond a side was looked, delivered pixels. */
export const looked = (a: Along, side: Side) => a.room_px[side === 'left' || side === 'right' ? 0 : 1]

export interface Least {
  side: Side
  /** Delivered pixels; null: more than was looked at. */
  px: number | null
  frame: number
}
/** The least room beyond each side, over all frames. */
export const leastRoom = (a: Along): Least[] =>
  SIDES.map((side) =>
    a.frames
      .map((f) => ({ side, px: f[`${side}_px`] ?? null, frame: f.frame }))
      .reduce((best, now) => ((now.px ?? Infinity) < (best.px ?? Infinity) ? now : best)),
  )

/** The frame on which something runs fastest, and how many pixels a frame. */
export function fastest(a: Along, which: 'near_px' | 'far_px'): { px: number; frame: number } | null {
  const told = a.frames.filter((f) => f[which] !== null)
  if (!told.length) return null
  const most = told.reduce((best, now) => (now[which]! > best[which]! ? now : best))
  return { px: most[which]!, frame: most.frame }
}

/** Runs of frames that one cut-out covers wholly. */
export function hidden(a: Along): { solid: string; from: number; to: number }[] {
  const out: { solid: string; from: number; to: number; next: number }[] = []
  a.frames.forEach((f, i) => {
    const last = out.at(-1)
    if (!f.hidden_by) return
    if (last && last.solid === f.hidden_by && last.next === i) {
      last.to = f.frame
      last.next = i + 1
    } else out.push({ solid: f.hidden_by, from: f.frame, to: f.frame, next: i + 1 })
  })
  return out.map(({ solid, from, to }) => ({ solid, from, to }))
}

/** Metres as people say them of relief. */
export function length(m: number): string {
  if (m < 0.01) return `${(1000 * m).toPrecision(2)} mm`
  if (m < 1) return `${(100 * m).toPrecision(2)} cm`
  return `${m.toPrecision(2)} m`
}

/** Lines over the frames: each a run of points, broken where there is nothing to draw. `top` stands for null. */
export function line(
  frames: Along['frames'],
  value: (f: Along['frames'][number]) => number | null,
  x: (frame: number) => number,
  y: (value: number) => number,
): string {
  let out = ''
  let pen = 'M'
  for (const f of frames) {
    const v = value(f)
    if (v === null) {
      pen = 'M'
      continue
    }
    out += `${pen}${x(f.frame).toFixed(1)} ${y(v).toFixed(1)}`
    pen = 'L'
  }
  return out
}
