/** The survey being drawn: what is kept, what is under the hand, and the solver's answer to it. */
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import {
  api,
  got,
  latest,
  Problem,
  type Edge,
  type Family,
  type Schemas,
  type Survey,
  type SurveyResult,
  type Vec2,
} from '../../api/client'
import { FILM_BACK } from '../../api/shared.gen'
import { useShot } from '../../state/shot'

export type Tool = Family | 'straight' | 'horizon' | 'tape' | 'datum' | 'measure' | 'point'
/** The family that a tool draws: straight edges have none. */
export const familyOf = (t: Tool): Family | null | undefined =>
  t === 'straight' ? null : t === 'run' || t === 'return' || t === 'rise' ? t : undefined
export const NAMES: Record<Family, string> = { run: 'Run', return: 'Return', rise: 'Rise' }
export const HINTS: Record<Family, string> = { run: 'along the front', return: 'into depth', rise: 'up' }

const tool = ref<Tool>('run')
/** The edges that are chosen; of several, the one chosen last is the one whose points show. */
const selected = ref<number[]>([])
const chosen = computed<number | null>({
  get: () => selected.value.at(-1) ?? null,
  set: (i) => {
    selected.value = i === null ? [] : [i]
  },
})
const draft = ref<Survey | null>(null)
const live = ref<SurveyResult | null>(null)
const liveProblem = ref<string | null>(null)
const show = reactive({
  grid: 'ground' as 'none' | 'ground' | 'front' | 'side' | 'ceiling',
  ceiling: 3,
  plumb: false,
  points: true,
  snap: true,
})
const found = ref<Schemas['FoundEdges'] | null>(null)
const dropped = ref<Set<number>>(new Set())
const finding = ref(false)
/** Why the found edges, as they stand now, give no camera. */
const foundProblem = ref<string | null>(null)
const hint = ref<Vec2 | null>(null)
/** What is being measured on the photo, and the answer to it. Nothing is kept. */
const measuring = ref<{ a: Vec2; b: Vec2; metres: number | null; sigma: number; problem: string | null } | null>(null)
/** What has been measured, in words: metres with their error on the plane that is shown, or why not. */
const measuredText = computed(() => {
  const m = measuring.value
  if (!m) return ''
  if (m.problem) return m.problem
  if (m.metres === null) return ''
  const { grid } = show
  const plane = grid === 'none' ? 'ground' : grid === 'ground' || grid === 'ceiling' ? grid : `${grid} plane`
  return `${m.metres.toFixed(2)} ± ${Math.max(m.sigma, 0.005).toFixed(2)} m on the ${plane}`
})

/** What has been asked to be kept and is not answered yet: what comes next builds on it. */
const asked = shallowRef<{ photo: string; survey: Survey } | null>(null)

export function useSurvey() {
  const s = useShot()
  const kept = computed<Survey | null>(
    () => (asked.value && asked.value.photo === s.photo?.id ? asked.value.survey : s.photo?.survey) ?? null,
  )
  const survey = computed<Survey | null>(() => draft.value ?? kept.value)
  const result = computed<SurveyResult | null>(() => {
    const r = (draft.value ? live.value : s.photo?.result) ?? null
    if (!r || draft.value || !asked.value) return r
    // until it is answered, what is known of an edge is what was known of the same one before, and nothing of others
    const before = (s.photo?.survey?.edges ?? []).map((e) => JSON.stringify(e))
    return { ...r, edges: (kept.value?.edges ?? []).map((e) => r.edges[before.indexOf(JSON.stringify(e))]) }
  })
  const problem = computed(() => (draft.value ? liveProblem.value : s.photo?.problem) ?? null)
  const filmBack = FILM_BACK
  const mm = (px: number) => (px * FILM_BACK) / (s.photo?.width ?? 1)
  const px = (v: number) => (v * (s.photo?.width ?? 1)) / FILM_BACK

  const ask = latest(
    (id: string, photo: string, body: Survey) =>
      got<Schemas['TrySurvey']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/try', {
          params: { path: { shot_id: id, photo_id: photo } },
          body,
        }),
      ),
    (answer) => {
      if (answer.result) live.value = answer.result
      liveProblem.value = answer.problem ?? null
    },
  )

  /** Show a changed survey while it is being dragged; the solver answers as fast as it can. */
  function trying(next: Survey) {
    if (!draft.value) live.value = s.photo?.result ?? null
    draft.value = next
    if (next.edges.length) ask(s.id, s.photo!.id, next)
  }
  function giveUp() {
    ask.drop()
    draft.value = null
    liveProblem.value = null
  }
  async function keep(next: Survey, label: string) {
    ask.drop()
    const photo = s.photo!.id
    const mine = { photo, survey: next }
    const drawn = draft.value
    asked.value = mine
    const ok = await s.change('PUT', `/photos/${photo}/survey?label=${encodeURIComponent(label)}`, next)
    if (asked.value === mine) asked.value = null
    if (draft.value === drawn) giveUp() // unless the hand has gone on
    return ok
  }
  const askLength = latest(
    async (id: string, photo: string, plane: Schemas['Measuring']['plane'], level: number, a: Vec2, b: Vec2) => {
      try {
        return {
          ...(await got<Schemas['Measured']>(
            api.POST('/api/shots/{shot_id}/photos/{photo_id}/measure', {
              params: { path: { shot_id: id, photo_id: photo } },
              body: { plane, level, a, b },
            }),
          )),
          a,
          b,
          problem: null,
        }
      } catch (error) {
        if (!(error instanceof Problem)) throw error
        return { metres: null, sigma_m: 0, a, b, problem: error.message }
      }
    },
    (got) => {
      if (measuring.value)
        measuring.value = { ...measuring.value, metres: got.metres, sigma: got.sigma_m, problem: got.problem }
    },
  )
  function measure(a: Vec2, b: Vec2) {
    measuring.value = {
      a,
      b,
      metres: measuring.value?.metres ?? null,
      sigma: measuring.value?.sigma ?? 0,
      problem: null,
    }
    askLength(
      s.id,
      s.photo!.id,
      show.grid === 'none' ? 'ground' : show.grid,
      show.grid === 'ceiling' ? show.ceiling : 0,
      a,
      b,
    )
  }
  /** Look for edges in the photo; they are shown first, and kept only when taken. */
  async function find() {
    finding.value = true
    s.problem = null
    try {
      found.value = await got<Schemas['FoundEdges']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/find', {
          params: { path: { shot_id: s.id, photo_id: s.photo!.id } },
        }),
      )
      dropped.value = new Set()
      foundProblem.value = null
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      s.problem = error.message
    } finally {
      finding.value = false
    }
  }
  async function takeFound() {
    if (!found.value) return
    const next = copy()
    // edges all found are better than the hand: what was drawn before keeps its own error for all
    if (!next.edges.length) next.edge_sigma_px = found.value.edge_sigma_px
    next.edges = [...next.edges, ...found.value.edges.filter((_, i) => !dropped.value.has(i))]
    if (found.value.distortion && next.distortion === 'none') next.distortion = 'solve'
    found.value = null
    await keep(next, 'Take the edges found')
  }
  /** An edge laid onto the picture's own edge; as drawn where there is no clear one. */
  async function snapped(points: Vec2[], reach: number): Promise<Vec2[]> {
    try {
      const laid = await got<Schemas['Snapped']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/snap', {
          params: { path: { shot_id: s.id, photo_id: s.photo!.id } },
          body: { points, reach: Math.min(Math.max(reach, 2), 40) },
        }),
      )
      return (laid.points as Vec2[] | null) ?? points
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      return points
    }
  }
  function dropFaulty() {
    const out = new Set((result.value?.edges ?? []).flatMap((e, i) => (e.weight < 0.05 ? [i] : [])))
    const next = copy()
    next.edges = next.edges.filter((_, i) => !out.has(i))
    chosen.value = null
    return keep(next, 'Leave out faulty edges')
  }
  const copy = (): Survey => JSON.parse(JSON.stringify(kept.value)) as Survey
  function removeChosen() {
    if (!selected.value.length || !kept.value) return
    const out = new Set(selected.value)
    const next = copy()
    next.edges = next.edges.filter((_, i) => !out.has(i))
    const label = out.size === 1 ? 'Remove an edge' : `Remove ${out.size} edges`
    selected.value = []
    void keep(next, label)
  }
  function reassign(family: Family | null) {
    const next = copy()
    for (const i of selected.value) next.edges[i].family = family
    void keep(
      next,
      selected.value.length === 1
        ? 'Change an edge’s direction'
        : `Change the direction of ${selected.value.length} edges`,
    )
  }
  function toggle(i: number) {
    selected.value = selected.value.includes(i) ? selected.value.filter((j) => j !== i) : [...selected.value, i]
  }
  /** Two edges of one: at the place on it nearest to a pixel, or at its middle. */
  function split(at: Vec2 | null) {
    const i = chosen.value
    if (i === null || !kept.value) return
    const next = copy()
    const points = next.edges[i].points as Vec2[]
    const [place, j] = onEdge(points, at ?? middleOf(points))
    const short = Math.min(near(place, points[0]), near(place, points[points.length - 1])) < 10
    const cut = short ? onEdge(points, middleOf(points)) : ([place, j] as const)
    next.edges.splice(
      i,
      1,
      { ...next.edges[i], points: [...points.slice(0, cut[1]), cut[0]] },
      { ...next.edges[i], points: [cut[0], ...points.slice(cut[1])] },
    )
    void keep(next, 'Split an edge')
    selected.value = [i, i + 1]
  }
  /** Say the directions of found edges otherwise, or leave some out; the camera that they give follows. */
  const askFound = latest(
    (id: string, photo: string, body: Survey) =>
      got<Schemas['TrySurvey']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/try', {
          params: { path: { shot_id: id, photo_id: photo } },
          body,
        }),
      ),
    (answer) => {
      if (found.value && answer.result) found.value = { ...found.value, result: answer.result }
      foundProblem.value = answer.problem ?? null
    },
  )
  function changeFound(change: () => void) {
    if (!found.value) return
    change()
    const next = copy()
    next.edges = [...next.edges, ...found.value.edges.filter((_, i) => !dropped.value.has(i))]
    if (!kept.value?.edges.length) next.edge_sigma_px = found.value.edge_sigma_px
    if (found.value.distortion && next.distortion === 'none') next.distortion = 'solve'
    askFound(s.id, s.photo!.id, next)
  }
  watch(
    () => s.photo?.id,
    () => {
      chosen.value = null
      draft.value = null
      found.value = null
      hint.value = null
      measuring.value = null
    },
  )
  return {
    s,
    tool,
    chosen,
    selected,
    toggle,
    reassign,
    split,
    changeFound,
    foundProblem,
    draft,
    kept,
    survey,
    result,
    problem,
    show,
    found,
    dropped,
    finding,
    hint,
    measuring,
    measuredText,
    measure,
    filmBack,
    mm,
    px,
    trying,
    giveUp,
    keep,
    copy,
    removeChosen,
    find,
    takeFound,
    snapped,
    dropFaulty,
  }
}

export const lengthOf = (e: Edge) =>
  Math.hypot(e.points[e.points.length - 1][0] - e.points[0][0], e.points[e.points.length - 1][1] - e.points[0][1])
export const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1])
const middleOf = (p: Vec2[]): Vec2 => [(p[0][0] + p[p.length - 1][0]) / 2, (p[0][1] + p[p.length - 1][1]) / 2]
/** The place on an edge nearest to a pixel, and the number of the point before which it lies. */
function onEdge(points: Vec2[], at: Vec2): [Vec2, number] {
  let best: [Vec2, number] = [points[0], 1]
  let least = Infinity
  for (let j = 1; j < points.length; j++) {
    const [a, b] = [points[j - 1], points[j]]
    const d = [b[0] - a[0], b[1] - a[1]]
    const t = Math.min(
      1,
      Math.max(0, ((at[0] - a[0]) * d[0] + (at[1] - a[1]) * d[1]) / Math.max(d[0] ** 2 + d[1] ** 2, 1e-9)),
    )
    const q: Vec2 = [a[0] + t * d[0], a[1] + t * d[1]]
    if (near(q, at) < least) {
      least = near(q, at)
      best = [q, j]
    }
  }
  return best
}
/** Of some edges the one that passes under a pixel, within a reach in pixels. */
export function under(edges: Edge[], p: Vec2, reach: number): number | null {
  let best: number | null = null
  let least = reach
  edges.forEach((e, i) => {
    const off = near(p, onEdge(e.points as Vec2[], p)[0])
    if (off < least) {
      least = off
      best = i
    }
  })
  return best
}
/** The edges that have a part inside a box of the picture. */
export function within(edges: Edge[], a: Vec2, b: Vec2): number[] {
  const [x0, x1, y0, y1] = [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])]
  return edges.flatMap((e, i) => {
    const p = e.points as Vec2[]
    const inside = p.some((q, j) => {
      const from = p[Math.max(j - 1, 0)]
      for (let k = 0; k <= 16; k++) {
        const at = [from[0] + ((q[0] - from[0]) * k) / 16, from[1] + ((q[1] - from[1]) * k) / 16]
        if (at[0] >= x0 && at[0] <= x1 && at[1] >= y0 && at[1] <= y1) return true
      }
      return false
    })
    return inside ? [i] : []
  })
}
