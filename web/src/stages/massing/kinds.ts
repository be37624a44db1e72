/**
 * The kinds of solid, one entry each: how a piece is drawn, the figures that can be typed, and where its foot is. What
 * a kind is, its shape, and what a drag does to it is the server's (core/massing/kinds).
 */
import type { Solid, Vec3 } from '../../api/client'

export interface Figure {
  label: string
  unit: string
  get: () => number
  set: (v: number) => object
  min?: number
  max?: number
  digits?: number
}
/** How a tool is drawn. feet: a drag over the ground, then up; corners: clicks, closed by Enter; on: on a piece. */
export type Way = 'choose' | 'direct' | 'feet' | 'corners' | 'on' | 'across' | 'click' | 'lines'
type Bag = Record<string, unknown>
type Of<K> = Extract<Solid, { kind: K }>
export interface Kind<K extends Solid['kind']> {
  /** Null for what cannot be drawn. */
  tool: { name: string; key: string; way: Way; hint: string } | null
  figures: (d: Bag) => Figure[]
  foot: (solid: Of<K>) => Vec3
}

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
const SIZE = ['Along run', 'Height', 'Along return']
const turn = (d: Bag) => one(d, 'turn_deg', 'Turn', '°')
const boxed = (d: Bag, size: string[], ...more: Figure[]) => [
  ...of(d, 'size', size, 0.01),
  ...more,
  ...of(d, 'corner', PLACE),
  turn(d),
]

export const KINDS: { [K in Solid['kind']]: Kind<K> } = {
  room: {
    tool: {
      name: 'Room',
      key: 'M',
      way: 'across',
      hint: 'Drag over the far wall, from a lower corner on the floor to the upper one opposite.',
    },
    figures: (d) => boxed(d, SIZE),
    foot: (s) => s.corner as Vec3,
  },
  ground: {
    tool: { name: 'Ground', key: 'G', way: 'direct', hint: '' },
    figures: (d) => [one(d, 'height', 'At rise'), ...of(d, 'size', ['Along run', 'Along return'], 0.1)],
    foot: (s) => [s.centre![0], s.height!, s.centre![1]],
  },
  block: {
    tool: {
      name: 'Block',
      key: 'B',
      way: 'feet',
      hint: 'Drag on the ground from one corner of the foot to the one opposite.',
    },
    figures: (d) => boxed(d, SIZE),
    foot: (s) => s.corner as Vec3,
  },
  gable: {
    tool: { name: 'Roof', key: 'R', way: 'on', hint: 'Click a block to put a roof on it.' },
    figures: (d) =>
      boxed(
        d,
        ['Along run', 'Ridge over eaves', 'Along return'],
        one(d, 'overhang', 'Overhang', 'm', 0),
        one(d, 'hip', 'Hip, ridge stands in', 'm', 0),
      ),
    foot: (s) => s.corner as Vec3,
  },
  wall: {
    tool: {
      name: 'Wall',
      key: 'W',
      way: 'feet',
      hint: 'Drag along the foot of the wall, or click an edge to raise a wall from it.',
    },
    figures: (d) => [
      one(d, 'height', 'Height', 'm', 0.01),
      one(d, 'base', 'Foot at rise'),
      ...of(d, 'a', ['From run', 'From return']),
      ...of(d, 'b', ['To run', 'To return']),
    ],
    foot: (s) => [(s.a[0] + s.b[0]) / 2, s.base!, (s.a[1] + s.b[1]) / 2],
  },
  slab: {
    tool: {
      name: 'Slab',
      key: 'L',
      way: 'corners',
      hint: 'Click the corners of its underside one after another; Enter closes it.',
    },
    figures: (d) => [one(d, 'level', 'Upper side at rise'), one(d, 'thickness', 'Thickness', 'm', 0.01)],
    foot: (s) => [s.outline[0][0], s.level - s.thickness, s.outline[0][1]],
  },
  column: {
    tool: {
      name: 'Column',
      key: 'O',
      way: 'feet',
      hint: 'Drag across its foot, from the left border to the right one.',
    },
    figures: (d) => [
      one(d, 'radius_foot', 'Radius at foot', 'm', 0.01),
      one(d, 'radius_top', 'Radius at top', 'm', 0.01),
      one(d, 'height', 'Height', 'm', 0.01),
      { ...one(d, 'sides', 'Sides', '', 3, 128), digits: 0 },
      turn(d),
      ...of(d, 'foot', PLACE),
    ],
    foot: (s) => s.foot as Vec3,
  },
  steps: {
    tool: {
      name: 'Steps',
      key: 'T',
      way: 'feet',
      hint: 'Drag on the ground from one corner of the flight’s foot to the one opposite.',
    },
    figures: (d) => boxed(d, ['Wide', 'Height', 'Deep'], { ...one(d, 'count', 'Steps', '', 1, 200), digits: 0 }),
    foot: (s) => s.corner as Vec3,
  },
  panel: {
    tool: {
      name: 'Panel',
      key: 'P',
      way: 'corners',
      hint: 'Click corners on a face, or over a first one on the ground; Enter closes it.',
    },
    figures: () => [],
    foot: (s) => s.points[0] as Vec3,
  },
  flat: {
    tool: { name: 'Flat', key: 'A', way: 'click', hint: 'Click where the cut-out stands on the ground.' },
    figures: (d) => [...of(d, 'foot', PLACE), one(d, 'heading_deg', 'Heading', '°')],
    foot: (s) => s.foot as Vec3,
  },
  backdrop: {
    tool: { name: 'Backdrop', key: 'D', way: 'direct', hint: '' },
    figures: (d) => [
      one(d, 'distance', 'Distance', 'm', 0.1),
      one(d, 'width', 'Width', 'm', 0.1),
      one(d, 'height', 'Height', 'm', 0.1),
      one(d, 'base', 'Foot at rise'),
      one(d, 'heading_deg', 'Heading', '°'),
      one(d, 'arc_deg', 'Bent round', '°', 0, 360),
      one(d, 'dome_deg', 'Dome up to', '°', 0, 90),
    ],
    foot: (s) => {
      const a = (s.heading_deg * Math.PI) / 180
      return [s.viewer[0] + Math.sin(a) * s.distance, s.base, s.viewer[2] - Math.cos(a) * s.distance]
    },
  },
  mesh: { tool: null, figures: () => [], foot: (s) => s.vertices[0] as Vec3 },
  imported: {
    tool: null,
    figures: (d) => [...of(d, 'position', PLACE), turn(d), one(d, 'scale', 'Scale', '×', 0.0001)],
    foot: (s) => s.position as Vec3,
  },
}

const entry = (solid: Solid) => KINDS[solid.kind] as unknown as Kind<Solid['kind']>
export const figuresOf = (solid: Solid): Figure[] => entry(solid).figures(solid as unknown as Bag)
/** A solid's foot point, for its distance from home. */
export const footOf = (solid: Solid): Vec3 => entry(solid).foot(solid as never)
