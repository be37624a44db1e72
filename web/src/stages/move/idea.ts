/** Moves from ideas: what there are, and what is chosen of them. */
import { ref, shallowRef } from 'vue'
import type { Vec3 } from '../../api/client'

export const IDEAS = {
  push_in: { name: 'push in', about: 'Towards', far: 'Nearer by', unit: 'm', says: 'Straight towards it.' },
  pull_out: { name: 'pull out', about: '', far: 'Back by', unit: 'm', says: 'Straight back along the view.' },
  slide: { name: 'slide by', about: '', far: 'To the right by', unit: 'm', says: 'Level, along the picture.' },
  rise: { name: 'rise, looking down', about: 'Looking at', far: 'Up by', unit: 'm', says: 'It keeps its place.' },
  arc: { name: 'arc around', about: 'Around', far: 'To the right by', unit: '°', says: 'The distance stays.' },
  counter: {
    name: 'nearer while the lens widens',
    about: 'Keeping',
    far: 'Nearer by',
    unit: 'm',
    says: 'What is as far as that keeps its size.',
  },
  pan: { name: 'pan across', about: '', far: 'To the right by', unit: '°', says: 'The camera stays where it is.' },
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
const far = ref<Record<Kind, number>>({ push_in: 1, pull_out: 1, slide: 0.5, rise: 0.5, arc: 8, counter: 1, pan: 5 })
const ends = ref<'first' | 'last'>('first')

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
  return { kind, about, picking, far, ends, pick }
}
