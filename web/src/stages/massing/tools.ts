/** The tools of Massing, what is chosen, and how the views look. */
import { computed, reactive, ref } from 'vue'
import type { Solid, Vec3 } from '../../api/client'
import { useShot } from '../../state/shot'

export type Tool =
  | 'choose'
  | 'ground'
  | 'block'
  | 'wall'
  | 'slab'
  | 'gable'
  | 'room'
  | 'column'
  | 'steps'
  | 'panel'
  | 'recess'
  | 'flat'
  | 'backdrop'
  | 'fold'
  | 'street'
/** How a tool is drawn. feet: a drag over the ground, then up; corners: clicks, closed by Enter; on: on a piece, then up. */
export type Way = 'choose' | 'direct' | 'feet' | 'corners' | 'on' | 'across' | 'click' | 'lines'
export interface ToolFacts {
  id: Tool
  name: string
  key: string
  way: Way
  hint: string
}

export const TOOLS: ToolFacts[] = [
  { id: 'choose', name: 'Choose', key: 'C', way: 'choose', hint: '' },
  {
    id: 'fold',
    name: 'Fold',
    key: 'F',
    way: 'click',
    hint: 'Click where the ground meets what stands at the back: the picture is folded there into ground and backdrop.',
  },
  {
    id: 'room',
    name: 'Room',
    key: 'M',
    way: 'across',
    hint: 'Drag over the far wall, from a lower corner on the floor to the upper one opposite.',
  },
  {
    id: 'street',
    name: 'Street',
    key: 'E',
    way: 'lines',
    hint: 'Drag along the foot of the left façade, then of the right one, then pull up its height.',
  },
  { id: 'ground', name: 'Ground', key: 'G', way: 'direct', hint: '' },
  {
    id: 'block',
    name: 'Block',
    key: 'B',
    way: 'feet',
    hint: 'Drag on the ground from one corner of the foot to the one opposite.',
  },
  { id: 'gable', name: 'Roof', key: 'R', way: 'on', hint: 'Click a block to put a roof on it.' },
  {
    id: 'wall',
    name: 'Wall',
    key: 'W',
    way: 'feet',
    hint: 'Drag along the foot of the wall, or click an edge to raise a wall from it.',
  },
  {
    id: 'slab',
    name: 'Slab',
    key: 'L',
    way: 'corners',
    hint: 'Click the corners of its underside one after another; Enter closes it.',
  },
  {
    id: 'column',
    name: 'Column',
    key: 'O',
    way: 'feet',
    hint: 'Drag across its foot, from the left border to the right one.',
  },
  {
    id: 'steps',
    name: 'Steps',
    key: 'T',
    way: 'feet',
    hint: 'Drag on the ground from one corner of the flight’s foot to the one opposite.',
  },
  {
    id: 'panel',
    name: 'Panel',
    key: 'P',
    way: 'corners',
    hint: 'Click corners on a face, or over a first one on the ground; Enter closes it.',
  },
  {
    id: 'recess',
    name: 'Opening',
    key: 'X',
    way: 'across',
    hint: 'Drag over a face of a block, wall or room, from corner to corner of the opening.',
  },
  { id: 'flat', name: 'Flat', key: 'A', way: 'click', hint: 'Click where the cut-out stands on the ground.' },
  { id: 'backdrop', name: 'Backdrop', key: 'D', way: 'direct', hint: '' },
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
export const settled = ref<{ id: string; rms: number; corner: number; used: number; out: number } | null>(null)

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
  return { chosen, choose, chooseAll }
}

/** A solid's foot point, for its distance from home. */
export function footOf(solid: Solid): Vec3 {
  switch (solid.kind) {
    case 'ground':
      return [solid.centre![0], solid.height!, solid.centre![1]]
    case 'block':
    case 'room':
    case 'steps':
    case 'gable':
      return solid.corner as Vec3
    case 'column':
    case 'flat':
      return solid.foot as Vec3
    case 'wall':
      return [(solid.a[0] + solid.b[0]) / 2, solid.base!, (solid.a[1] + solid.b[1]) / 2]
    case 'slab':
      return [solid.outline[0][0], solid.level - solid.thickness, solid.outline[0][1]]
    case 'panel':
      return solid.points[0] as Vec3
    case 'imported':
      return solid.position as Vec3
    case 'backdrop': {
      const a = (solid.heading_deg * Math.PI) / 180
      return [
        solid.viewer[0] + Math.sin(a) * solid.distance,
        solid.base,
        solid.viewer[2] - Math.cos(a) * solid.distance,
      ]
    }
    default:
      return solid.vertices[0] as Vec3
  }
}
