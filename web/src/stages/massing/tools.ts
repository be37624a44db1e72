import { ref } from 'vue'
import type { Solid, Vec3 } from '../../api/client'

export type Tool = 'choose' | 'block' | 'wall' | 'flat'
export const tool = ref<Tool>('choose')
export const flatPlate = ref<string | null>(null)
export const view = ref<'both' | 'lens' | 'plan'>('both')

/** A solid's foot point, for its distance from home. */
export function footOf(solid: Solid): Vec3 {
  switch (solid.kind) {
    case 'ground': return [solid.centre[0], solid.height, solid.centre[1]]
    case 'block':
    case 'gable': return solid.corner as Vec3
    case 'column':
    case 'flat': return solid.foot as Vec3
    case 'wall': return [(solid.a[0] + solid.b[0]) / 2, solid.base, (solid.a[1] + solid.b[1]) / 2]
    case 'backdrop': {
      const a = (solid.heading_deg * Math.PI) / 180
      return [solid.viewer[0] + Math.sin(a) * solid.distance, solid.base, solid.viewer[2] - Math.cos(a) * solid.distance]
    }
    default: return solid.vertices[0] as Vec3
  }
}
