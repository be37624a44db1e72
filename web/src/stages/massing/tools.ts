/** The tools of Massing, what is chosen, and how the views look. */
import { computed, reactive, ref } from 'vue'
import { api, got, type Schemas, type Solid } from '../../api/client'
import { stays } from '../../hand/choice'
import { useShot } from '../../state/shot'
import { KINDS, type Way } from './kinds'

export type { Way }

/** What can be built: the kinds that can be drawn, and what is none of them: folding, streets, openings. */
export type Tool = Solid['kind'] | 'choose' | 'recess' | 'fold' | 'street'
export interface ToolFacts {
  id: Tool
  name: string
  key: string
  way: Way
  hint: string
}

const ofKinds: ToolFacts[] = Object.entries(KINDS).flatMap(([id, k]) => (k.tool ? [{ id: id as Tool, ...k.tool }] : []))
const room = ofKinds.filter((t) => t.id === 'room')
const others = ofKinds.filter((t) => t.id !== 'room')
const cutInto = others.findIndex((t) => t.id === 'flat')

export const TOOLS: ToolFacts[] = [
  { id: 'choose', name: 'Choose', key: 'C', way: 'choose', hint: '' },
  {
    id: 'fold',
    name: 'Fold',
    key: 'F',
    way: 'click',
    hint: 'Click where the ground meets what stands at the back: the picture is folded there into ground and backdrop.',
  },
  ...room,
  {
    id: 'street',
    name: 'Street',
    key: 'E',
    way: 'lines',
    hint: 'Drag along the foot of the left façade, then of the right one, then pull up its height.',
  },
  ...others.slice(0, cutInto),
  {
    id: 'recess',
    name: 'Opening',
    key: 'X',
    way: 'across',
    hint: 'Drag over a face of a block, wall or room, from corner to corner of the opening.',
  },
  ...others.slice(cutInto),
]
export const factsOf = (t: Tool) => TOOLS.find((x) => x.id === t)!

export const tool = ref<Tool>('choose')
export const flatPlate = ref<string | null>(null)
export const depthOfOpening = ref(0.3)
export const view = ref<'both' | 'lens' | 'plan' | 'orbit'>('both')
export const looks = reactive({
  opacity: 1,
  grid: false,
  how: 'wire' as 'wire' | 'shaded' | 'thrown' | 'depth' | 'cover',
  near: 2,
  far: 60,
})
/** Chosen besides the one in the ledger. */
const also = ref<string[]>([])
/** What the last settling said, for the piece that it was said of. */
interface SettledPiece {
  id: string
  rms: number
  corner: number
  used: number
  out: number
  farther: boolean
  alone: boolean
}
export const settled = ref<SettledPiece | null>(null)

/** What lies under a pixel of a photo; what is not said is nothing. */
export const touchedAt = (
  shot: string,
  what: Partial<Schemas['Touching']> & Pick<Schemas['Touching'], 'pixel' | 'photo'>,
) =>
  got<Schemas['Touched']>(
    api.POST('/api/shots/{shot_id}/touch', {
      params: { path: { shot_id: shot } },
      body: { mode: 'foot', reach: 0, level: null, base: null, ...what },
    }),
  )

export function useChosen() {
  const s = useShot()
  const chosen = computed(() =>
    s.solidId
      ? [...also.value.filter((id) => id !== s.solidId && s.shot.solids.some((x) => x.id === id)), s.solidId]
      : [],
  )
  /** Choose a piece, with its group; with `more` it is added to those chosen, or taken away. */
  function choose(id: string | null, more = false) {
    const group = id && !more ? s.shot.solids.find((x) => x.id === id)?.group : null
    if (group)
      return chooseAll([...s.shot.solids.filter((x) => x.group === group && x.id !== id).map((x) => x.id), id!])
    if (more && id && s.solidId) {
      const now = chosen.value
      const next = now.includes(id) ? now.filter((x) => x !== id) : [...now, id]
      also.value = next.slice(0, -1)
      s.solidId = next.at(-1) ?? null
      return
    }
    also.value = []
    s.solidId = id
  }
  function chooseAll(ids: string[]) {
    also.value = ids.slice(0, -1)
    s.solidId = ids.at(-1) ?? null
  }
  /** Choose what an answer names, unless the hand has chosen something else since it was asked for. */
  function chooseMade(asked: Promise<string[] | null>): Promise<string[] | null> {
    const mine = stays(() => chosen.value)
    return asked.then((made) => {
      if (made?.length && mine()) chooseAll(made)
      return made
    })
  }
  return { chosen, choose, chooseAll, chooseMade }
}
