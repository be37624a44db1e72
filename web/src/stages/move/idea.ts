/** Moves from ideas: what there are, and what is chosen of them. */
import { ref, shallowRef } from 'vue'
import type { Vec3 } from '../../api/client'
import { useShot } from '../../state/shot'

export const IDEAS = {
  push_in: {
    name: 'push in',
    about: 'Towards',
    far: 'Nearer by',
    unit: 'm',
    says: 'Straight towards it.',
    drawn: 'Press on what it goes towards and drag up.',
  },
  pull_out: {
    name: 'pull out',
    about: '',
    far: 'Back by',
    unit: 'm',
    says: 'Straight back along the view.',
    drawn: 'Press anywhere and drag down.',
  },
  slide: {
    name: 'slide by',
    about: '',
    far: 'To the right by',
    unit: 'm',
    says: 'Level, along the picture.',
    drawn: 'Press on anything and take it along.',
  },
  rise: {
    name: 'rise, looking down',
    about: 'Looking at',
    far: 'Up by',
    unit: 'm',
    says: 'It keeps its place.',
    drawn: 'Press on what it looks at and drag up.',
  },
  arc: {
    name: 'arc around',
    about: 'Around',
    far: 'To the right by',
    unit: '°',
    says: 'The distance stays.',
    drawn: 'Press on what it goes around and drag aside.',
  },
  counter: {
    name: 'nearer while the lens widens',
    about: 'Keeping',
    far: 'Nearer by',
    unit: 'm',
    says: 'What is as far as that keeps its size.',
    drawn: 'Press on what keeps its size and drag up.',
  },
  pan: {
    name: 'pan across',
    about: '',
    far: 'To the right by',
    unit: '°',
    says: 'The camera stays where it is.',
    drawn: 'Press anywhere and take it along.',
  },
} as const
export type Kind = keyof typeof IDEAS

export interface About {
  solid: string | null
  at: Vec3 | null
  name: string
}
const kind = ref<Kind>('push_in')
const about = shallowRef<About | null>(null)
/** Whether the next click in the lens view says what the move is about. */
const picking = ref(false)
/** Whether the next drag in the lens view draws the move. */
const drawing = ref(false)
const far = ref<Record<Kind, number>>({ push_in: 1, pull_out: 1, slide: 0.5, rise: 0.5, arc: 8, counter: 1, pan: 5 })
const ends = ref<'first' | 'last'>('first')
/** How far the idea goes that is drawn, in words. */
const inHand = ref('')
const CLOSE = 0.9 // of the way to what is pressed: a hand goes no nearer

/** What a drag in the lens view is measured by: delivered pixels, and metres to what was pressed. */
export interface Drawn {
  width: number
  height: number
  focal: number
  depth: number
}
/**
 * How far a drag of so many delivered pixels takes a move, in its unit. Up goes nearer, by the whole way in a frame's
 * height, and higher; what was pressed follows the hand where the camera slides or pans; a frame's width is a quarter
 * turn of an arc.
 */
export function drawnFar(kind: Kind, dx: number, dy: number, d: Drawn): number {
  const near = Math.min(CLOSE, -dy / d.height) * d.depth
  const amounts: Record<Kind, number> = {
    push_in: near,
    counter: near,
    pull_out: (dy / d.height) * d.depth,
    slide: (-dx * d.depth) / d.focal,
    rise: (-dy * d.depth) / d.focal,
    arc: (-dx / d.width) * 90,
    pan: (-dx / d.focal) * (180 / Math.PI),
  }
  return Math.round(amounts[kind] * 100) / 100 || 0
}

export function useIdea() {
  /** Take a point of the picture as what the move is about; true when one was waited for. */
  function pick(world: Vec3 | null | undefined, surface: string | null | undefined): boolean {
    if (!picking.value) return false
    if (world) {
      about.value = { solid: null, at: world, name: `a point of ${surface ?? 'the set'}` }
      picking.value = false
    }
    return true
  }
  /** The keys of the idea in place of those that there are. */
  async function set(amount: number) {
    far.value = { ...far.value, [kind.value]: amount }
    const body = { kind: kind.value, amount, solid: about.value?.solid ?? null, at: about.value?.at ?? null }
    return useShot().change('POST', '/idea', { ...body, ends_at_home: ends.value === 'last' })
  }
  return { kind, about, picking, drawing, inHand, far, ends, pick, set }
}
