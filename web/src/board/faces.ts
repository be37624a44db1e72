/** Faces as triangles for the GPU, gathered by what is thrown on them. */
import * as three from 'three'
import type { Shot, Vec3 } from '../api/client'

export interface Group {
  solid: number
  throws: number[]
  occlusion: boolean[]
  cutout: boolean
  positions: number[]
  normals: number[]
  faces: number[]
  slant: number[]
  /** Rise of the level that a face is drawn before, where it lies below it; else above all. */
  passes: number[]
}
export const NO_LEVEL = 1e30

/** Pieces that have nothing but plates that were added: they stood before no photo's lens, and hide nothing from it. */
export function addedPieces(shot: Pick<Shot, 'plates' | 'throws'>): Set<string> {
  const role = new Map(shot.plates.map((p) => [p.id, p.role]))
  const by = new Map<string, boolean>()
  for (const t of shot.throws)
    for (const target of t.targets) {
      const piece = target.split('/')[0]
      by.set(piece, (by.get(piece) ?? true) && role.get(t.plate) === 'added')
    }
  return new Set([...by].flatMap(([piece, added]) => (added ? [piece] : [])))
}

/** A brought-in piece's triangles, placed; returns the next face's number. */
export function addTriangles(
  group: Group,
  brings: Float32Array,
  at: { position?: number[]; turn_deg?: number; scale?: number },
  face: number,
): number {
  const a = ((at.turn_deg ?? 0) * Math.PI) / 180
  const [c, s, k] = [Math.cos(a), Math.sin(a), at.scale ?? 1]
  const [px, py, pz] = at.position ?? [0, 0, 0]
  const p = [new three.Vector3(), new three.Vector3(), new three.Vector3()]
  const n = new three.Vector3()
  for (let i = 0; i < brings.length; i += 9) {
    for (let j = 0; j < 3; j++) {
      const [x, y, z] = [brings[i + 3 * j] * k, brings[i + 3 * j + 1] * k, brings[i + 3 * j + 2] * k]
      p[j].set(c * x + s * z + px, y + py, -s * x + c * z + pz)
    }
    n.subVectors(p[1], p[0]).cross(p[2].clone().sub(p[0])).normalize()
    for (const q of p) {
      group.positions.push(q.x, q.y, q.z)
      group.normals.push(n.x, n.y, n.z)
      group.faces.push(face)
      group.slant.push(0)
      group.passes.push(NO_LEVEL)
    }
    face++
  }
  return face
}

export function addFace(group: Group, loop: Vec3[], face: number, slant: boolean, passes = NO_LEVEL) {
  const n = [0, 0, 0]
  loop.forEach((a, i) => {
    const b = loop[(i + 1) % loop.length]
    n[0] += a[1] * b[2] - a[2] * b[1]
    n[1] += a[2] * b[0] - a[0] * b[2]
    n[2] += a[0] * b[1] - a[1] * b[0]
  })
  const size = Math.hypot(...n) || 1
  const normal = n.map((v) => v / size)
  const side =
    Math.abs(normal[1]) < 0.9
      ? new three.Vector3(...normal).cross(new three.Vector3(0, 1, 0)).normalize()
      : new three.Vector3(...normal).cross(new three.Vector3(1, 0, 0)).normalize()
  const up = new three.Vector3(...normal).cross(side)
  const flat = loop.map((p) => new three.Vector2(side.dot(new three.Vector3(...p)), up.dot(new three.Vector3(...p))))
  for (const tri of three.ShapeUtils.triangulateShape(flat, [])) {
    for (const i of tri) {
      group.positions.push(...loop[i])
      group.normals.push(...normal)
      group.faces.push(face)
      group.slant.push(slant ? 1 : 0)
      group.passes.push(passes)
    }
  }
}

export function geometryOf(group: Group): three.BufferGeometry {
  const geometry = new three.BufferGeometry()
  geometry.setAttribute('position', new three.Float32BufferAttribute(group.positions, 3))
  geometry.setAttribute('normal', new three.Float32BufferAttribute(group.normals, 3))
  geometry.setAttribute('slant', new three.Float32BufferAttribute(group.slant, 1))
  geometry.setAttribute('passes', new three.Float32BufferAttribute(group.passes, 1))
  geometry.setAttribute('face', new three.Float32BufferAttribute(group.faces, 1))
  return geometry
}
