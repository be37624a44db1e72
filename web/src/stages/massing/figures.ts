/** The figures of a piece: what can be typed, with its unit. */
import type { Solid } from '../../api/client'

export interface Figure {
  label: string
  unit: string
  get: () => number
  set: (v: number) => object
  min?: number
  max?: number
  digits?: number
}
type Bag = Record<string, unknown>

const swap = (list: readonly number[], i: number, v: number) => list.map((x, j) => (j === i ? v : x))
const of = (d: Bag, name: string, labels: string[], min?: number): Figure[] =>
  labels.map((label, i) => ({
    label,
    unit: 'm',
    min,
    get: () => (d[name] as number[])[i],
    set: (v) => ({ [name]: swap(d[name] as number[], i, v) }),
  }))
const one = (d: Bag, name: string, label: string, unit = 'm', min?: number, max?: number): Figure => ({
  label,
  unit,
  min,
  max,
  get: () => d[name] as number,
  set: (v) => ({ [name]: v }),
})

const PLACE = ['At run', 'At rise', 'At return']

export function figuresOf(solid: Solid): Figure[] {
  const d = solid as unknown as Bag
  switch (solid.kind) {
    case 'block':
    case 'room':
      return [
        ...of(d, 'size', ['Along run', 'Height', 'Along return'], 0.01),
        ...of(d, 'corner', PLACE),
        one(d, 'turn_deg', 'Turn', '°'),
      ]
    case 'steps':
      return [
        ...of(d, 'size', ['Wide', 'Height', 'Deep'], 0.01),
        { ...one(d, 'count', 'Steps', '', 1, 200), digits: 0 },
        ...of(d, 'corner', PLACE),
        one(d, 'turn_deg', 'Turn', '°'),
      ]
    case 'gable':
      return [
        ...of(d, 'size', ['Along run', 'Ridge over eaves', 'Along return'], 0.01),
        one(d, 'overhang', 'Overhang', 'm', 0),
        one(d, 'hip', 'Hip, ridge stands in', 'm', 0),
        ...of(d, 'corner', PLACE),
        one(d, 'turn_deg', 'Turn', '°'),
      ]
    case 'column':
      return [
        one(d, 'radius_foot', 'Radius at foot', 'm', 0.01),
        one(d, 'radius_top', 'Radius at top', 'm', 0.01),
        one(d, 'height', 'Height', 'm', 0.01),
        { ...one(d, 'sides', 'Sides', '', 3, 128), digits: 0 },
        one(d, 'turn_deg', 'Turn', '°'),
        ...of(d, 'foot', PLACE),
      ]
    case 'wall':
      return [
        one(d, 'height', 'Height', 'm', 0.01),
        one(d, 'base', 'Foot at rise'),
        ...of(d, 'a', ['From run', 'From return']),
        ...of(d, 'b', ['To run', 'To return']),
      ]
    case 'slab':
      return [one(d, 'level', 'Upper side at rise'), one(d, 'thickness', 'Thickness', 'm', 0.01)]
    case 'flat':
      return [...of(d, 'foot', PLACE), one(d, 'heading_deg', 'Heading', '°')]
    case 'backdrop':
      return [
        one(d, 'distance', 'Distance', 'm', 0.1),
        one(d, 'width', 'Width', 'm', 0.1),
        one(d, 'height', 'Height', 'm', 0.1),
        one(d, 'base', 'Foot at rise'),
        one(d, 'heading_deg', 'Heading', '°'),
        one(d, 'arc_deg', 'Bent round', '°', 0, 360),
        one(d, 'dome_deg', 'Dome up to', '°', 0, 90),
      ]
    case 'ground':
      return [one(d, 'height', 'At rise'), ...of(d, 'size', ['Along run', 'Along return'], 0.1)]
    case 'imported':
      return [...of(d, 'position', PLACE), one(d, 'turn_deg', 'Turn', '°'), one(d, 'scale', 'Scale', '×', 0.0001)]
    default:
      return []
  }
}
