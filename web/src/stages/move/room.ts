/** Standing room as it is drawn: a tint by margin, and the line where a frame just holds. */
import type { Schemas, Vec2 } from '../../api/client'

export type Room = Schemas['RoomState']

/** Of an upright plane the lowest row comes first; drawn it is the last one, at heights that count downwards. */
export function turnedOver(room: Room, upright: boolean): Room {
  if (!upright) return room
  const rows = Array.from({ length: room.along }, (_, j) => room.margin.slice(j * room.across, (j + 1) * room.across))
  const top = room.area[1] + (room.along - 1) * room.step
  const [x0, z0, x1] = room.area
  const open = room.open.map((i) => (room.along - 1 - Math.floor(i / room.across)) * room.across + (i % room.across))
  return { ...room, area: [x0, -top, x1, -z0], margin: rows.reverse().flat(), open }
}

/** Whether each cell is told: it is not where it lies too close to a limit. */
export function toldOf(room: Room): boolean[] {
  const told = room.margin.map(() => true)
  for (const i of room.open) told[i] = false
  return told
}

/** Square metres that hold, and that are open. */
export function areaOf(room: Room): { holds: number; open: number } {
  const told = toldOf(room)
  const cell = room.step ** 2
  return { holds: room.margin.filter((m, i) => m >= 0 && told[i]).length * cell, open: room.open.length * cell }
}

/** A picture of one pixel a cell: green where the frame holds, red where it does not, the fuller the farther; grey
 * where that is open. */
export function tinted(room: Room): string {
  const canvas = document.createElement('canvas')
  canvas.width = room.across
  canvas.height = room.along
  const g = canvas.getContext('2d')!
  const image = g.createImageData(room.across, room.along)
  const told = toldOf(room)
  room.margin.forEach((m, i) => {
    if (!told[i]) return image.data.set([90, 98, 104, 70], 4 * i)
    const [r, gr, b] = m >= 0 ? [47, 125, 116] : [181, 67, 42]
    const strength = m >= 0 ? 0.2 + 0.35 * Math.min(1, m) : 0.05 + 0.12 * Math.min(1, -m / 10)
    image.data.set([r, gr, b, Math.round(255 * strength)], 4 * i)
  })
  g.putImageData(image, 0, 0)
  return canvas.toDataURL()
}

/** Pieces of the line on which the margin is `level`, run and return in metres: marching squares, cell by cell. */
export function contour(room: Room, level = 0): [Vec2, Vec2][] {
  const out: [Vec2, Vec2][] = []
  const at = (i: number, j: number) => room.margin[j * room.across + i] - level
  const spot = (i: number, j: number, k: number, l: number): Vec2 => {
    const [a, b] = [at(i, j), at(k, l)]
    const t = a / (a - b)
    const place = (n: number, m: number): Vec2 => [room.area[0] + n * room.step, room.area[1] + m * room.step]
    const [p, q] = [place(i, j), place(k, l)]
    return [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1])]
  }
  for (let j = 0; j + 1 < room.along; j++)
    for (let i = 0; i + 1 < room.across; i++) {
      const corners = [
        [i, j],
        [i + 1, j],
        [i + 1, j + 1],
        [i, j + 1],
      ]
      const cuts: Vec2[] = []
      corners.forEach(([a, b], n) => {
        const [c, d] = corners[(n + 1) % 4]
        if (at(a, b) < 0 !== at(c, d) < 0) cuts.push(spot(a, b, c, d))
      })
      if (cuts.length >= 2) out.push([cuts[0], cuts[1]])
      if (cuts.length === 4) out.push([cuts[2], cuts[3]])
    }
  return out
}
