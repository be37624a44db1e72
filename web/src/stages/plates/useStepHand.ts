/** What the hand does on the picture for the open step: picks, strokes, sources, and points of loops. */
import { computed, ref, shallowRef } from 'vue'
import type { Vec2 } from '../../api/client'
import type { useShot } from '../../state/shot'
import { addStep, addStroke, brush, changeStep, openStep, settingSource, type Step, type Stroke } from './steps'

/** A source that has been set, until the first stroke says how far away it lies. */
const marked = ref<Vec2 | null>(null)

export function useStepHand(s: ReturnType<typeof useShot>) {
  const step = computed(() => (s.plate?.steps.find((x) => x.id === openStep.value) ?? null) as Step | null)
  /** A stroke while it is drawn. */
  const stroke = shallowRef<Vec2[] | null>(null)
  const draws = computed(() => {
    const x = step.value
    if (!x) return false
    if (x.do === 'brush' || x.do === 'clone' || x.do === 'heal') return true
    return x.do === 'fill' && Array.isArray(x.where) && x.where[0]?.do === 'brush'
  })
  const picks = computed(() => openStep.value === 'colour' || step.value?.do === 'colour')

  /** Where a clone takes from, seen from a place on the picture. */
  const source = (at: Vec2): Vec2 | null => {
    const x = step.value
    if (!x || (x.do !== 'clone' && x.do !== 'heal') || x.on) return null
    return [at[0] + x.offset[0], at[1] + x.offset[1]]
  }
  function pick(at: Vec2, more: boolean) {
    const plate = s.plate!
    const x = step.value
    if (x?.do === 'colour') return void changeStep(s, plate.id, { ...x, at: more ? [...x.at, at] : [at] })
    const id = `c${Date.now().toString(36)}`
    openStep.value = id
    const made = {
      id,
      name: null,
      off: false,
      do: 'colour',
      mode: 'add',
      at: [at],
      tolerance: 8,
      joined: true,
    } as const
    void addStep(s, plate.id, { ...made, at: [at] })
  }
  /** Begin what a press begins; false: it is nothing of a step's. */
  function down(at: Vec2, more: boolean): boolean {
    if (!s.plate) return false
    if (picks.value) {
      pick(at, more)
      return true
    }
    if (!draws.value) return false
    stroke.value = [at]
    return true
  }
  function move(at: Vec2) {
    const drawn = stroke.value
    if (!drawn) return
    const last = drawn[drawn.length - 1]
    if (Math.hypot(at[0] - last[0], at[1] - last[1]) > Math.max(1, brush.value.radius / 8))
      stroke.value = [...drawn, at]
  }
  async function up() {
    const drawn = stroke.value
    stroke.value = null
    const x = step.value
    if (!drawn || !x || !s.plate) return
    const from = drawn[0]
    if (settingSource.value && (x.do === 'clone' || x.do === 'heal')) {
      settingSource.value = false
      marked.value = from
      return
    }
    const changed = await offset(x, from)
    const on = 'on' in x && x.on && x.do !== 'fill' ? x.on : null
    const one: Stroke = {
      id: `k${Date.now().toString(36)}`,
      points: drawn,
      radius_px: on ? null : brush.value.radius,
      radius_m: on ? brush.value.radius * (await metres(on, from)) : null,
      hardness: brush.value.hardness,
    }
    if (changed) return void changeStep(s, s.plate.id, { ...changed, strokes: [...changed.strokes, one] } as Step)
    void addStroke(s, s.plate.id, x.id, one)
  }
  async function offset(x: Step, from: Vec2) {
    if (!marked.value || (x.do !== 'clone' && x.do !== 'heal')) return null
    const to = marked.value
    marked.value = null
    if (!x.on) return { ...x, offset: [Math.round(to[0] - from[0]), Math.round(to[1] - from[1])] as Vec2 }
    const [a, b] = await Promise.all([flat(x.on, from), flat(x.on, to)])
    return a && b ? { ...x, offset_m: [b[0] - a[0], b[1] - a[1]] as Vec2 } : null
  }
  async function flat(face: string, at: Vec2): Promise<Vec2 | null> {
    const query = `face=${encodeURIComponent(face)}&x=${at[0]}&y=${at[1]}`
    const response = await fetch(`/api/shots/${s.id}/plates/${s.plate!.id}/on-face?${query}`)
    const said = (await response.json()) as { at?: Vec2; detail?: string }
    if (!response.ok) s.problem = said.detail ?? 'That place is not on the face.'
    return said.at ?? null
  }
  /** Metres of a pixel of the picture on a face, about a place. */
  async function metres(face: string, at: Vec2): Promise<number> {
    const [a, b] = await Promise.all([flat(face, at), flat(face, [at[0] + 1, at[1]])])
    return a && b ? Math.hypot(b[0] - a[0], b[1] - a[1]) : 0.01
  }
  const drop = () => (stroke.value = null)
  return { step, stroke, draws, picks, marked, source, down, move, up, drop }
}
