/** The survey being drawn: what is kept, what is under the hand, and the solver's answer to it. */
import { computed, reactive, ref, watch } from 'vue'
import { call, latest, Problem, type Edge, type Family, type Schemas, type Survey, type SurveyResult, type Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'

export type Tool = Family | 'straight' | 'horizon' | 'tape' | 'datum' | 'measure' | 'point'
/** The family that a tool draws: straight edges have none. */
export const familyOf = (t: Tool): Family | null | undefined => (t === 'straight' ? null : t === 'run' || t === 'return' || t === 'rise' ? t : undefined)
export const NAMES: Record<Family, string> = { run: 'Run', return: 'Return', rise: 'Rise' }
export const HINTS: Record<Family, string> = { run: 'along the front', return: 'into depth', rise: 'up' }
const FILM_BACK = 36

const tool = ref<Tool>('run')
const chosen = ref<number | null>(null)
const draft = ref<Survey | null>(null)
const live = ref<SurveyResult | null>(null)
const liveProblem = ref<string | null>(null)
const show = reactive({ grid: 'ground' as 'none' | 'ground' | 'front' | 'side', points: true, snap: true })
const found = ref<Schemas['FoundEdges'] | null>(null)
const dropped = ref<Set<number>>(new Set())
const finding = ref(false)
const hint = ref<Vec2 | null>(null)
/** What is being measured on the photo, and the answer to it. Nothing is kept. */
const measuring = ref<{ a: Vec2; b: Vec2; metres: number | null; sigma: number; problem: string | null } | null>(null)

export function useSurvey() {
  const s = useShot()
  const kept = computed<Survey | null>(() => s.photo?.survey ?? null)
  const survey = computed<Survey | null>(() => draft.value ?? kept.value)
  const result = computed(() => (draft.value ? live.value : s.photo?.result) ?? null)
  const problem = computed(() => (draft.value ? liveProblem.value : s.photo?.problem) ?? null)
  const filmBack = FILM_BACK
  const mm = (px: number) => (px * FILM_BACK) / (s.photo?.width ?? 1)
  const px = (v: number) => (v * (s.photo?.width ?? 1)) / FILM_BACK

  const ask = latest(
    (id: string, photo: string, body: Survey) => call<Schemas['TrySurvey']>('POST', `/shots/${id}/photos/${photo}/survey/try`, body),
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
    const ok = await s.change('PUT', `/photos/${s.photo!.id}/survey?label=${encodeURIComponent(label)}`, next)
    draft.value = null
    liveProblem.value = null
    return ok
  }
  const askLength = latest(
    async (id: string, photo: string, plane: string, a: Vec2, b: Vec2) => {
      try {
        return { ...(await call<Schemas['Measured']>('POST', `/shots/${id}/photos/${photo}/measure`, { plane, a, b })), a, b, problem: null }
      } catch (error) {
        if (!(error instanceof Problem)) throw error
        return { metres: null, sigma_m: 0, a, b, problem: error.message }
      }
    },
    (got) => { if (measuring.value) measuring.value = { ...measuring.value, metres: got.metres, sigma: got.sigma_m, problem: got.problem } },
  )
  function measure(a: Vec2, b: Vec2) {
    measuring.value = { a, b, metres: measuring.value?.metres ?? null, sigma: measuring.value?.sigma ?? 0, problem: null }
    askLength(s.id, s.photo!.id, show.grid === 'none' ? 'ground' : show.grid, a, b)
  }
  /** Look for edges in the photo; they are shown first, and kept only when taken. */
  async function find() {
    finding.value = true
    s.problem = null
    try {
      found.value = await call<Schemas['FoundEdges']>('POST', `/shots/${s.id}/photos/${s.photo!.id}/survey/find`)
      dropped.value = new Set()
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
      const got = await call<Schemas['Snapped']>('POST', `/shots/${s.id}/photos/${s.photo!.id}/survey/snap`, { points, reach: Math.min(Math.max(reach, 2), 40) })
      return (got.points as Vec2[] | null) ?? points
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
    if (chosen.value === null || !kept.value) return
    const next = copy()
    next.edges.splice(chosen.value, 1)
    chosen.value = null
    void keep(next, 'Remove an edge')
  }
  watch(() => s.photo?.id, () => { chosen.value = null; draft.value = null; found.value = null; hint.value = null; measuring.value = null })
  return { s, tool, chosen, draft, kept, survey, result, problem, show, found, dropped, finding, hint, measuring, measure, filmBack, mm, px, trying, giveUp, keep, copy, removeChosen, find, takeFound, snapped, dropFaulty }
}

export const lengthOf = (e: Edge) => Math.hypot(e.points[e.points.length - 1][0] - e.points[0][0], e.points[e.points.length - 1][1] - e.points[0][1])
export const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1])
