/** Steps of plates: their names and figures, how they begin, and how they are changed. */
import { ref } from 'vue'
import type { Plate, Schemas, Shot, Vec2 } from '../../api/client'
import { pieceName, plateName } from '../../state/names'
import { partsOf } from '../../state/parts'
import type { useShot } from '../../state/shot'

type Store = ReturnType<typeof useShot>
export type Step = Plate['steps'][number]
export type Kind = Step['do']
export type Stroke = Schemas['Stroke']
export type View = 'photo' | 'grey' | 'black' | 'white' | 'matte'

/** The step that is open, by its id: what the hand does on the picture goes into it. */
export const openStep = ref<string | null>(null)
export const view = ref<View>('photo')
/** Whether the plate is shown as it is after the open step. */
export const upToHere = ref(false)
export const brush = ref({ radius: 40, hardness: 0.5 })
/** The face that is seen squared up beside the photo; empty: none is. */
export const straightFace = ref('')
/** Where a clone or a heal takes from is to be set by the next click. */
export const settingSource = ref(false)

export const TITLES: Record<Kind, string> = {
  outline: 'Outline',
  colour: 'Colour',
  brush: 'Brush',
  depth: 'Depth',
  silhouette: 'Silhouette',
  plate: 'Matte of a plate',
  grow: 'Grow',
  feather: 'Feather',
  hair: 'Hair',
  fringe: 'Fringe',
  fill: 'Fill',
  clone: 'Clone',
  heal: 'Heal',
  extend: 'Extend',
  painted: 'Painted',
  grade: 'Grade',
}
export const MATTES: Kind[] = [
  'outline',
  'colour',
  'brush',
  'depth',
  'silhouette',
  'plate',
  'grow',
  'feather',
  'hair',
  'fringe',
]
export const PICTURES: Kind[] = ['fill', 'clone', 'heal', 'extend', 'grade']
export const MODES = { add: 'add to the matte', cut: 'cut out of it', keep: 'keep within it' }
export const HOWS = {
  texture: 'texture of what is around',
  smooth: 'smoothly, with its grain',
  along: 'along the lines',
  photo: 'another photo',
}

export interface Field {
  key: string
  label: string
  unit: string
  digits: number
  min: number
  max: number
}
const field = (key: string, label: string, unit: string, digits: number, min: number, max: number): Field => ({
  key,
  label,
  unit,
  digits,
  min,
  max,
})
/** The figures of each kind. */
export const FIGURES: Partial<Record<Kind, Field[]>> = {
  outline: [field('feather_px', 'Feather', 'px', 1, 0, 2000)],
  colour: [field('tolerance', 'Tolerance', 'ΔE', 1, 0.1, 100)],
  depth: [
    field('near_m', 'Nearest', 'm', 2, 0, 1e5),
    field('far_m', 'Farthest', 'm', 2, 0.01, 1e6),
    field('soft_m', 'Soft over', 'm', 2, 0, 1e4),
  ],
  grow: [field('px', 'By', 'px', 1, -2000, 2000)],
  feather: [field('px', 'Over', 'px', 1, 0, 2000)],
  hair: [field('band_px', 'Uncertain over', 'px', 0, 1, 400)],
  fringe: [field('band_px', 'Cleaned over', 'px', 0, 1, 400)],
  fill: [field('grow_px', 'Grown by', 'px', 1, 0, 500)],
  extend: [
    field('left', 'Left', 'px', 0, 0, 20000),
    field('top', 'Top', 'px', 0, 0, 20000),
    field('right', 'Right', 'px', 0, 0, 20000),
    field('bottom', 'Bottom', 'px', 0, 0, 20000),
  ],
  grade: [
    field('exposure', 'Exposure', 'stops', 2, -20, 20),
    field('temperature', 'Warmer by', 'mired', 1, -200, 200),
    field('tint', 'To magenta', '‰ uv', 1, -200, 200),
    field('saturation', 'Saturation', '×', 2, 0, 10),
  ],
}

/** A grade that changes nothing. */
export const PLAIN: Schemas['Grade'] = {
  exposure: 0,
  temperature: 0,
  tint: 0,
  saturation: 1,
  slope: [1, 1, 1],
  offset: [0, 0, 0],
  power: [1, 1, 1],
}

/** A step as it is put in first. */
export function fresh(kind: Kind, shot: Shot, plate: Plate): Step | null {
  const id = `s${Date.now().toString(36)}${Math.floor(Math.random() * 1296).toString(36)}`
  const base = { id, name: null, off: false }
  const mode = 'add' as const
  const solid = shot.solids.find((s) => s.kind !== 'flat')
  const other = shot.plates.find((p) => p.id !== plate.id && p.photo === plate.photo && !madeOf(shot, p, plate.id))
  const taken = { strokes: [], offset: [120, 0] as Vec2, offset_m: null, plate: null, photo: null, on: null }
  switch (kind) {
    case 'brush':
      return { ...base, do: 'brush', mode, strokes: [] }
    case 'depth':
      return { ...base, do: 'depth', mode, near_m: 0, far_m: 10, soft_m: 0.2, picture: null }
    case 'silhouette':
      return solid ? { ...base, do: 'silhouette', mode, targets: [solid.id] } : null
    case 'plate':
      return other ? { ...base, do: 'plate', mode, plate: other.id } : null
    case 'grow':
      return { ...base, do: 'grow', px: 4 }
    case 'feather':
      return { ...base, do: 'feather', px: 4 }
    case 'hair':
      return { ...base, do: 'hair', band_px: 24 }
    case 'fringe':
      return { ...base, do: 'fringe', band_px: 12 }
    case 'fill': {
      const where = [{ ...base, id: 'w1', do: 'brush' as const, mode, strokes: [] }]
      return { ...base, do: 'fill', where, grow_px: 6, how: 'texture', photo: null, on: null, seed: 0 }
    }
    case 'clone':
    case 'heal':
      return { ...base, do: kind, ...taken }
    case 'extend':
      return { ...base, do: 'extend', left: 0, top: 0, right: 0, bottom: 0, how: 'texture' }
    case 'grade':
      return { ...base, do: 'grade', ...PLAIN, where: null }
    default:
      return null
  }
}
/** Whether a plate is made of another one, also by way of others. */
export function madeOf(shot: Shot, plate: Plate, ident: string, way: string[] = []): boolean {
  if (way.includes(plate.id)) return false
  const looks = (s: Step) => [s, ...('where' in s && Array.isArray(s.where) ? s.where : [])]
  const others = plate.steps.flatMap((s) => looks(s as Step).flatMap((x) => ('plate' in x && x.plate ? [x.plate] : [])))
  return others.some((o) => {
    const next = shot.plates.find((p) => p.id === o)
    return o === ident || (!!next && madeOf(shot, next, ident, [...way, plate.id]))
  })
}

/** One line about a step. */
export function summary(step: Step, shot: Shot): string {
  const named = (id: string) => plateName(shot, id)
  const solid = (id: string) => pieceName(shot, id)
  switch (step.do) {
    case 'outline':
      return `${step.loops.length === 1 ? '' : `${step.loops.length} loops, `}${step.feather_px} px soft`
    case 'colour':
      return `${step.at.length} pick${step.at.length === 1 ? '' : 's'}, ΔE ${step.tolerance}`
    case 'brush':
    case 'clone':
    case 'heal':
      return `${step.strokes.length} stroke${step.strokes.length === 1 ? '' : 's'}`
    case 'depth':
      return `${step.near_m} to ${step.far_m} m`
    case 'silhouette':
      return step.targets.map(solid).join(', ')
    case 'plate':
      return named(step.plate)
    case 'grow':
    case 'feather':
      return `${step.px} px`
    case 'hair':
    case 'fringe':
      return `${step.band_px} px`
    case 'fill':
      return Array.isArray(step.where) ? HOWS[step.how] : `before ${step.where.in_front_of.map(solid).join(', ')}`
    case 'extend':
      return [step.left, step.top, step.right, step.bottom].join(' · ') + ' px'
    case 'grade':
      return `${step.exposure > 0 ? '+' : ''}${step.exposure} stops`
    default:
      return ''
  }
}

/** Where a plate lies in its photo, with what steps extend it by. */
export function reach(plate: Plate): [number, number, number, number] {
  let [x, y, w, h] = plate.canvas
  for (const s of plate.steps)
    if (s.do === 'extend' && !s.off) [x, y, w, h] = [x - s.left, y - s.top, w + s.left + s.right, h + s.top + s.bottom]
  return [x, y, w, h]
}

// ---------------------------------------------------------------- changes

const withSteps = (plate: string, change: (steps: Step[]) => Step[]) => (shot: Shot) => ({
  ...shot,
  plates: shot.plates.map((p) => (p.id === plate ? { ...p, steps: change(p.steps as Step[]) } : p)),
})
export const addStep = (s: Store, plate: string, step: Step) =>
  s.change(
    'POST',
    `/plates/${plate}/steps`,
    { step },
    withSteps(plate, (all) => [...all, step]),
  )
/** What the hand has changed of a step since it began from `was`; what another page has changed meanwhile stays. */
export function changeStep(s: Store, plate: string, step: Step, was?: Step) {
  const from = was ?? s.shot.plates.find((p) => p.id === plate)?.steps.find((x) => x.id === step.id) ?? {}
  const set = partsOf(from, step)
  const touched = new Set(Object.keys(set).map((part) => part.split('.')[0]))
  const fields = Object.fromEntries(Object.entries(step).filter(([name]) => touched.has(name)))
  return s.change(
    'PATCH',
    `/plates/${plate}/steps/${step.id}`,
    { set },
    withSteps(plate, (all) => all.map((x) => (x.id === step.id ? ({ ...x, ...fields } as Step) : x))),
  )
}
export const removeStep = (s: Store, plate: string, id: string) =>
  s.change(
    'DELETE',
    `/plates/${plate}/steps/${id}`,
    undefined,
    withSteps(plate, (all) => all.filter((x) => x.id !== id)),
  )
export const switchStep = (s: Store, plate: string, id: string, off: boolean) =>
  s.change(
    'PATCH',
    `/plates/${plate}/steps/${id}`,
    { off },
    withSteps(plate, (all) => all.map((x) => (x.id === id ? { ...x, off } : x))),
  )
export const moveStep = (s: Store, plate: string, id: string, place: number) =>
  s.change(
    'PATCH',
    `/plates/${plate}/steps/${id}`,
    { place },
    withSteps(plate, (all) => {
      const rest = all.filter((x) => x.id !== id)
      rest.splice(place, 0, ...all.filter((x) => x.id === id))
      return rest
    }),
  )
/** The strokes of a step: its own, or those that say where it is. */
export function strokesOf(step: Step): Stroke[] {
  if ('strokes' in step) return step.strokes
  const where = 'where' in step && Array.isArray(step.where) ? step.where.find((x) => x.do === 'brush') : null
  return where?.do === 'brush' ? where.strokes : []
}
function redrawn(step: Step, alter: (strokes: Stroke[]) => Stroke[]): Step {
  if ('strokes' in step) return { ...step, strokes: alter(step.strokes) }
  if (!('where' in step) || !Array.isArray(step.where)) return step
  const first = step.where.find((x) => x.do === 'brush')
  const where = step.where.map((x) => (x === first && x.do === 'brush' ? { ...x, strokes: alter(x.strokes) } : x))
  return { ...step, where } as Step
}
export const addStroke = (s: Store, plate: string, id: string, stroke: Stroke) =>
  s.change(
    'POST',
    `/plates/${plate}/steps/${id}/strokes`,
    stroke,
    withSteps(plate, (all) => all.map((x) => (x.id === id ? redrawn(x, (strokes) => [...strokes, stroke]) : x))),
  )
export const removeStroke = (s: Store, plate: string, id: string, stroke: string) =>
  s.change(
    'DELETE',
    `/plates/${plate}/steps/${id}/strokes/${stroke}`,
    undefined,
    withSteps(plate, (all) =>
      all.map((x) => (x.id === id ? redrawn(x, (strokes) => strokes.filter((k) => k.id !== stroke)) : x)),
    ),
  )
