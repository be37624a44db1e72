/** Pieces dragged in plan: moved as they are, or by a corner of the chosen one. */
import { ref, type ShallowRef } from 'vue'
import { api, got, latest, type Schemas, type Shape, type Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'
import type { Axis } from './editing'
import { useChosen } from './tools'

/** `pulled`: the chosen piece as a drag makes it, while it does. */
export function useInPlan(pulled: ShallowRef<Shape | null>) {
  const s = useShot()
  const { chosen } = useChosen()
  const loose = ref<Vec2 | null>(null) // how far the chosen pieces are being dragged in plan
  const planCorner = ref<{ index: number; axis: Axis; by: number } | null>(null)

  function shift(by: Vec2, done: boolean) {
    if (s.solid?.locked) return
    if (!done) return void (loose.value = by)
    loose.value = null
    if (Math.hypot(...by) > 0.01) void s.build('/arrange', { op: 'move', ids: chosen.value, by: [by[0], 0, by[1]] })
  }
  const tryCorner = latest(
    (index: number, axis: Axis, by: number) =>
      got<Schemas['Constructed']>(
        api.POST('/api/shots/{shot_id}/solids/{solid_id}/pull/try', {
          params: { path: { shot_id: s.id, solid_id: s.solidId! } },
          body: { corner: index, axis, by, photo: null, pixel: null },
        }),
      ),
    (got) => {
      if (planCorner.value) pulled.value = got.shapes[0]
    },
  )
  function dragCorner(index: number, by: Vec2, done: boolean) {
    const solid = s.solid
    if (!solid || solid.locked) return
    const turn = ((('turn_deg' in solid ? solid.turn_deg : 0) ?? 0) * Math.PI) / 180
    const run = by[0] * Math.cos(turn) - by[1] * Math.sin(turn)
    const ret = by[0] * Math.sin(turn) + by[1] * Math.cos(turn)
    const axis: Axis = Math.abs(run) > Math.abs(ret) ? 'run' : 'return'
    planCorner.value = { index, axis, by: axis === 'run' ? run : ret }
    if (!done) return tryCorner(index, axis, planCorner.value.by)
    const last = planCorner.value
    planCorner.value = null
    tryCorner.drop()
    void s
      .change('POST', `/solids/${solid.id}/pull`, { corner: last.index, axis: last.axis, by: last.by })
      .then(() => (pulled.value = null))
  }
  return { loose, planCorner, tryCorner, shift, dragCorner }
}
