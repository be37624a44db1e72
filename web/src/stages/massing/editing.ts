/** Dragging corners, sides and faces of the chosen piece: the server says what it becomes. */
import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, got, latest, type Photo, type Schemas, type Shape, type Vec2, type Vec3 } from '../../api/client'
import { project, type View } from '../../board/camera'
import { useShot } from '../../state/shot'
import { touchedAt } from './tools'

export type Axis = 'run' | 'rise' | 'return'
export interface Handle {
  key: string
  corner: number
  p: Vec2
  at: Vec3
  side: [number, number] | null
}
const AXES: Record<Axis, Vec3> = { run: [1, 0, 0], rise: [0, 1, 0], return: [0, 0, 1] }
const MANY = 26

export function useEditing(photo: Ref<Photo | null>, view: Ref<View | null>, scale: () => number) {
  const s = useShot()
  const held = ref<{ handle: Handle; from: Vec2; axis: Axis | null; at: Vec2 } | null>(null)
  const face = ref<{ name: string; from: Vec2; at: Vec2; moving: boolean } | null>(null)
  const pulled = shallowRef<Shape | null>(null)
  const tryPull = latest(
    (what: object) =>
      got<Schemas['Constructed']>(
        api.POST('/api/shots/{shot_id}/solids/{solid_id}/pull/try', {
          params: { path: { shot_id: s.id, solid_id: s.solidId! } },
          body: what as Schemas['Pull'],
        }),
      ),
    (got) => {
      if (held.value) pulled.value = got.shapes[0]
    },
  )
  const tryShove = latest(
    (what: object) =>
      got<Schemas['Constructed']>(
        api.POST('/api/shots/{shot_id}/solids/{solid_id}/shove/try', {
          params: { path: { shot_id: s.id, solid_id: s.solidId! } },
          body: what as Schemas['Shove'],
        }),
      ),
    (got) => {
      if (face.value) pulled.value = got.shapes[0]
    },
  )

  const shape = computed(
    () => (pulled.value?.id === s.solidId ? pulled.value : s.state!.shapes.find((x) => x.id === s.solidId)) ?? null,
  )
  /** Corners of the chosen piece, and the middles of its sides, as the lens sees them. */
  const handles = computed<Handle[]>(() => {
    const now = shape.value
    if (!now || !view.value || !s.solid || s.solid.locked) return []
    const v = now.vertices as Vec3[]
    const every = v.length > MANY ? Math.ceil(v.length / 16) : 1
    const out: Handle[] = []
    v.forEach((at, i) => {
      const p = i % every ? null : project(view.value!, at)
      if (p) out.push({ key: `c${i}`, corner: i, p, at, side: null })
    })
    if (every > 1 || ['ground', 'backdrop', 'flat', 'column', 'imported', 'panel', 'mesh'].includes(s.solid.kind))
      return out
    const seen = new Set<string>()
    for (const loop of now.loops) {
      loop.forEach((a, k) => {
        const b = loop[(k + 1) % loop.length]
        const key = a < b ? `${a}.${b}` : `${b}.${a}`
        if (seen.has(key)) return
        seen.add(key)
        const at = [0, 1, 2].map((j) => (v[a][j] + v[b][j]) / 2) as Vec3
        const p = project(view.value!, at)
        if (p) out.push({ key: `s${key}`, corner: a, p, at, side: [a, b] })
      })
    }
    return out
  })
  function axisVector(name: Axis): Vec3 {
    const solid = s.solid!
    const turn = ((('turn_deg' in solid ? solid.turn_deg : 0) ?? 0) * Math.PI) / 180
    const a = AXES[name]
    return name === 'rise'
      ? a
      : [Math.cos(turn) * a[0] + Math.sin(turn) * a[2], 0, -Math.sin(turn) * a[0] + Math.cos(turn) * a[2]]
  }
  const nudged = (v: Vec3, a: Vec3, by: number): Vec3 => [v[0] + a[0] * by, v[1] + a[1] * by, v[2] + a[2] * by]
  /** The axis whose picture a drag follows; a side is not moved along itself. */
  function axisOf(h: Handle, to: Vec2, from: Vec2): Axis {
    const d = [to[0] - from[0], to[1] - from[1]]
    const v = shape.value!.vertices as Vec3[]
    let best: Axis = 'rise'
    let most = -1
    for (const name of Object.keys(AXES) as Axis[]) {
      const a = axisVector(name)
      if (h.side) {
        const along = [0, 1, 2].map((k) => v[h.side![1]][k] - v[h.side![0]][k])
        const size = Math.hypot(...along) || 1
        if (Math.abs(along[0] * a[0] + along[1] * a[1] + along[2] * a[2]) / size > 0.95) continue
      }
      const q = project(view.value!, nudged(h.at, a, 0.1))
      if (!q) continue
      const e = [q[0] - h.p[0], q[1] - h.p[1]]
      const along = Math.abs(d[0] * e[0] + d[1] * e[1]) / (Math.hypot(e[0], e[1]) || 1)
      if (along > most) {
        most = along
        best = name
      }
    }
    return best
  }
  /** Metres along an axis from a point to where a pixel shows that line (closest points of two lines). */
  function along(at: Vec3, axis: Axis, pixel: Vec2): number {
    const w = view.value!
    const a = axisVector(axis)
    const c = [(pixel[0] - w.centre[0]) / w.focal, (pixel[1] - w.centre[1]) / w.focal, 1]
    let ray = [0, 1, 2].map((i) => w.rotation[0][i] * c[0] + w.rotation[1][i] * c[1] + w.rotation[2][i] * c[2])
    const size = Math.hypot(...ray)
    ray = ray.map((x) => x / size)
    const between = [0, 1, 2].map((k) => at[k] - w.position[k])
    const dot = (p: number[], q: number[]) => p[0] * q[0] + p[1] * q[1] + p[2] * q[2]
    const cos = dot(a, ray)
    return 1 - cos * cos < 1e-9 ? 0 : (cos * dot(between, ray) - dot(between, a)) / (1 - cos * cos)
  }
  const body = () => {
    const h = held.value!
    const target: Vec2 = [h.handle.p[0] + h.at[0] - h.from[0], h.handle.p[1] + h.at[1] - h.from[1]]
    const base = { corner: h.handle.corner, axis: h.axis ?? undefined, photo: photo.value!.id }
    return h.handle.side ? { ...base, by: along(h.handle.at, h.axis!, target) } : { ...base, pixel: target }
  }
  function take(handle: Handle, p: Vec2) {
    held.value = { handle, from: p, axis: null, at: p }
  }
  /** Ask which face is under the pointer; it is dragged when it is the chosen piece's. */
  async function takeFace(p: Vec2): Promise<string | null> {
    const under = await touchedAt(s.id, { pixel: p, photo: photo.value!.id, mode: 'face' })
    const [solid, ...rest] = (under.surface ?? '').split('/')
    if (solid && solid === s.solidId && !s.solid?.locked)
      face.value = { name: rest.join('/'), from: p, at: p, moving: false }
    return solid || null
  }
  function move(p: Vec2) {
    if (held.value) {
      const h = held.value
      h.at = p
      const far = Math.hypot(p[0] - h.from[0], p[1] - h.from[1]) * scale()
      if (!h.axis && far > 5) h.axis = axisOf(h.handle, p, h.from)
      if (h.axis) tryPull(body())
    } else if (face.value) {
      face.value.at = p
      if (Math.hypot(p[0] - face.value.from[0], p[1] - face.value.from[1]) * scale() > 6) face.value.moving = true
      if (face.value.moving)
        tryShove({ face: face.value.name, start: face.value.from, pixel: p, photo: photo.value!.id })
    }
  }
  /** Let go: what is shown stays until it is answered, and the next drag may begin before that. */
  async function up(p: Vec2) {
    const piece = s.solidId
    let asked: Promise<boolean> | null = null
    if (held.value) {
      held.value.at = p
      if (held.value.axis) asked = s.change('POST', `/solids/${piece}/pull`, body())
    } else if (face.value?.moving) {
      asked = s.change('POST', `/solids/${piece}/shove`, {
        face: face.value.name,
        start: face.value.from,
        pixel: p,
        photo: photo.value!.id,
      })
    }
    letGo()
    if (asked) await asked
    if (!held.value && !face.value) pulled.value = null
  }
  function letGo() {
    held.value = null
    face.value = null
    tryPull.drop()
    tryShove.drop()
  }
  function giveUp() {
    letGo()
    pulled.value = null
  }
  return { handles, held, face, pulled, take, takeFace, move, up, giveUp }
}
