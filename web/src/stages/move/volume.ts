/** Standing room as a volume: layers at several heights, the cells that hold in each joined to strips. */
import type { Vec3 } from '../../api/client'
import { areaOf, toldOf, type Room } from './room'

export const CELLS = 18 // along a layer's side
const LEAST = 1.5 // metres to either side of the lens
const LOWEST = 0.1 // metres above the ground

/** What is looked at: the area x0, z0, x1, z1, a cell's side and the heights, the lens's own first, then the nearer. */
export interface Extent {
  area: [number, number, number, number]
  step: number
  rise: number
  heights: number[]
}

/** About the lens, as far as the move goes and somewhat farther. */
export function extentOf(lens: Vec3, path: Vec3[]): Extent {
  const reach = Math.max(LEAST, ...path.map((p) => Math.max(Math.abs(p[0] - lens[0]), Math.abs(p[2] - lens[2])) + 0.5))
  const rise = reach / 5
  const heights = [0, 1, -1, 2, -2, 3, -3].map((n) => lens[1] + n * rise).filter((y) => y === lens[1] || y >= LOWEST)
  return {
    area: [lens[0] - reach, lens[2] - reach, lens[0] + reach, lens[2] + reach],
    step: (2 * reach) / CELLS,
    rise,
    heights,
  }
}

/** Corners of upright strips' floors, row by row: where the frame holds in cells that lie side by side. */
export function strips(room: Room): Vec3[][] {
  const told = toldOf(room)
  const out: Vec3[][] = []
  const h = room.step / 2
  for (let j = 0; j < room.along; j++) {
    const z = room.area[1] + j * room.step
    let start = -1
    for (let i = 0; i <= room.across; i++) {
      const holds = i < room.across && told[j * room.across + i] && room.margin[j * room.across + i] >= 0
      if (holds && start < 0) start = i
      if (holds || start < 0) continue
      const [x0, x1] = [room.area[0] + start * room.step - h, room.area[0] + (i - 1) * room.step + h]
      const at = (x: number, dz: number): Vec3 => [x, room.height_m, z + dz]
      out.push([at(x0, -h), at(x1, -h), at(x1, h), at(x0, h)])
      start = -1
    }
  }
  return out
}

/** Cubic metres of layers, each as thick as they are apart. */
export const cubic = (rooms: Room[], rise: number) => rooms.reduce((sum, r) => sum + areaOf(r).holds * rise, 0)
