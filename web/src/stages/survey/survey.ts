/** The survey being drawn: what is kept, what is under the hand, and the solver's answer to it. */
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import {
  api,
  got,
  latest,
  Problem,
  type EdgeFamily,
  type Schemas,
  type Survey,
  type SurveyResult,
  type Vec2,
} from '../../api/client'
import { backOf, millimetresAPixel } from '../photo/back'
import { freshId, surveyAfter, surveyChange, type SurveyChange } from '../../hand/changes'
import { useShot } from '../../state/shot'
import { middleOf } from './edges'
import { near, onLine } from '../../board/lines'
import { useMeasuring } from './measuring'

export type Tool = EdgeFamily | 'straight' | 'horizon' | 'tape' | 'datum' | 'measure' | 'point'
/** The family that a tool draws: straight edges have none. */
export const familyOf = (t: Tool): EdgeFamily | null | undefined =>
  t === 'straight' ? null : DIRECTIONS.find((f) => f === t)
export const DIRECTIONS: EdgeFamily[] = ['run', 'return', 'rise', 'second']
export const NAMES: Record<EdgeFamily, string> = { run: 'Run', return: 'Return', rise: 'Rise', second: 'Second run' }
export const HINTS: Record<EdgeFamily, string> = {
  run: 'along the front',
  return: 'into depth',
  rise: 'up',
  second: 'level, along a façade that stands at an odd angle',
}

const tool = ref<Tool>('run')
/** The edges that are chosen, by id; of several, the one chosen last is the one whose points show. */
const selectedIds = ref<string[]>([])
/** The edge that was drawn last, while nobody has chosen it on purpose: a direction's key is for the next one. */
const justDrawn = ref<string | null>(null)
const draft = ref<Survey | null>(null)
/** What the solver says of the draft, or of what was let go of and is not answered yet; and of which edges. */
const live = shallowRef<{ photo: string; result: SurveyResult; edges: string[] } | null>(null)
const liveProblem = ref<string | null>(null)
const show = reactive({
  grid: 'ground' as 'none' | 'ground' | 'front' | 'side' | 'ceiling',
  ceiling: 3,
  plumb: false,
  figure: false,
  points: true,
  snap: true,
})
const found = ref<Schemas['FoundEdges'] | null>(null)
const dropped = ref<Set<number>>(new Set())
/** Whether more than one reading of the picture has been looked at. */
const looked = ref(false)
const asked = ref(false)
/** Why the found edges, as they stand now, give no camera. */
const foundProblem = ref<string | null>(null)
const hint = ref<Vec2 | null>(null)
const there = (i: number) => i >= 0
/** How much has been let go of that is not answered yet. */
const asking = ref(0)
/** The tape whose length is asked for where it lies, by id. */
const tapeAsked = ref<string | null>(null)

export function useSurvey() {
  const s = useShot()
  const kept = computed<Survey | null>(() => s.photo?.survey ?? null)
  const brought = computed(() =>
    Object.values(s.jobs).some((j) => j.kind === 'find_edges' && ['waiting', 'running'].includes(j.state)),
  )
  /** Edges are being looked for: by a press, or at once in a photo that was just brought and has no camera yet. */
  const finding = computed(
    () => asked.value || (brought.value && !s.photo?.camera && s.photo?.id === s.shot.photos[0]?.id),
  )
  const survey = computed<Survey | null>(() => draft.value ?? kept.value)
  const selected = computed<number[]>({
    get: () => selectedIds.value.flatMap((id) => survey.value?.edges.findIndex((e) => e.id === id) ?? -1).filter(there),
    set: (list) => {
      selectedIds.value = list.map((i) => survey.value!.edges[i].id)
    },
  })
  const chosen = computed<number | null>({
    get: () => selected.value.at(-1) ?? null,
    set: (i) => {
      selected.value = i === null ? [] : [i]
    },
  })
  /** The solution, with what is known of each edge that is drawn now: it may be of fewer, or of others. */
  const result = computed<SurveyResult | null>(() => {
    const photo = s.state?.shot.photos?.find((p) => p.id === s.photo?.id)
    const mine = (draft.value || asking.value) && live.value?.photo === photo?.id ? live.value : null
    const r = mine?.result ?? photo?.result ?? null
    if (!r) return null
    const of = mine?.edges ?? (photo?.survey?.edges ?? []).map((e) => e.id)
    return { ...r, edges: (survey.value?.edges ?? []).map((e) => r.edges[of.indexOf(e.id)]) }
  })
  const problem = computed(() => (draft.value ? liveProblem.value : s.photo?.problem) ?? null)
  const filmBack = computed(() =>
    s.photo
      ? backOf(s.photo)
          .map((v) => `${v}`)
          .join(' × ')
      : '',
  )
  const mm = (px: number) => px * (s.photo ? millimetresAPixel(s.photo) : 1)
  const px = (v: number) => v / (s.photo ? millimetresAPixel(s.photo) : 1)

  const ask = latest(
    async (id: string, photo: string, body: Survey) => ({
      photo,
      edges: body.edges.map((e) => e.id),
      ...(await got<Schemas['TrySurvey']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/try', {
          params: { path: { shot_id: id, photo_id: photo } },
          body,
        }),
      )),
    }),
    ({ photo, edges, result, problem }) => {
      if (result) live.value = { photo, edges, result }
      liveProblem.value = problem ?? null
    },
  )

  /** Show a changed survey while it is being dragged; the solver answers as fast as it can. */
  function trying(next: Survey) {
    if (!draft.value && !asking.value) live.value = null
    draft.value = next
    if (next.edges.length || next.assumption) ask(s.id, s.photo!.id, next)
  }
  function giveUp() {
    ask.drop()
    draft.value = null
    liveProblem.value = null
  }
  /**
   * Keep what was drawn: shown at once, and sent as what has changed. `later` makes something of it first, when its
   * turn comes: an edge laid onto the picture's own.
   */
  async function keep(next: Survey, label: string, later?: (change: SurveyChange) => Promise<SurveyChange>) {
    const photo = s.photo!.id
    const change = surveyChange(kept.value!, next)
    if (!draft.value && !asking.value) live.value = null
    giveUp()
    if (!change) return true
    asking.value++
    const ok = await s.change(
      'PATCH',
      `/photos/${photo}/survey?label=${encodeURIComponent(label)}`,
      () => later?.(change) ?? change,
      (shot) => ({
        ...shot,
        photos: shot.photos.map((p) => (p.id === photo ? { ...p, survey: surveyAfter(p.survey, change) } : p)),
      }),
    )
    asking.value--
    return ok
  }
  /** As `keep`, for an edge that is to be laid onto the picture's own edge. */
  function keepLaid(next: Survey, label: string, edge: string, reach: number) {
    const drawn = next.edges.find((e) => e.id === edge)!.points as Vec2[]
    return keep(next, label, async (change) => {
      const points = await snapped(drawn, reach)
      const laid = <T extends { id: string }>(list: T[]) => list.map((e) => (e.id === edge ? { ...e, points } : e))
      const edges = change.edges && {
        ...change.edges,
        added: laid(change.edges.added),
        changed: laid(change.edges.changed),
      }
      return { ...change, edges }
    })
  }
  async function setTape(id: string, metres: number | null, sigma?: number | null) {
    const next = copy()
    const tape = next.lengths.find((t) => t.id === id)
    if (!tape || metres === null) return false
    tape.metres = metres
    if (sigma !== undefined) tape.sigma_m = sigma
    return await keep(next, 'Change a tape')
  }
  const { measuring, measuredText, measure } = useMeasuring(show)
  /** Look for edges in the photo; they are shown first, and kept only when taken. */
  async function find() {
    asked.value = true
    s.problem = null
    try {
      found.value = await got<Schemas['FoundEdges']>(
        api.POST('/api/shots/{shot_id}/photos/{photo_id}/survey/find', {
          params: { path: { shot_id: s.id, photo_id: s.photo!.id } },
        }),
      )
      dropped.value = new Set()
      foundProblem.value = null
      looked.value = false
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      s.problem = error.message
    } finally {
      asked.value = false
    }
  }
  /** Show the next of the readings that the picture bears; the one shown comes last. */
  function nextReading() {
    const [first, ...rest] = found.value?.others ?? []
    if (!first) return
    looked.value = true
    found.value = { ...first, others: [...rest, { ...found.value!, others: [] }] }
    dropped.value = new Set()
    foundProblem.value = null
  }
  /** The survey with the edges found in place of those found before; what was drawn and typed stays. */
  function withFound(): Survey {
    const [next, f] = [copy(), found.value!]
    next.edges = next.edges.filter((e) => !e.found)
    // edges all found are better than the hand: what was drawn before keeps its own error for all
    if (!next.edges.length) next.edge_sigma_px = f.edge_sigma_px
    next.edges.push(...f.edges.filter((_, i) => !dropped.value.has(i)).map((e) => ({ ...e, id: freshId() })))
    if (f.distortion && next.distortion === 'none') next.distortion = 'solve'
    next.doubt = looked.value ? f.chosen : f.doubt
    if (f.result.stands_in?.includes('lens')) next.assumption ??= { lens_mm35: 35, horizon: null, eye_m: 1.6 }
    return next
  }
  async function takeFound() {
    if (!found.value) return
    const next = withFound()
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
    const out = new Set((result.value?.edges ?? []).flatMap((e, i) => (e && e.weight < 0.05 ? [i] : [])))
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
    void keep(next, label)
    selected.value = []
  }
  function reassign(family: EdgeFamily | null) {
    const next = copy()
    for (const i of selected.value) Object.assign(next.edges[i], { family, found: false })
    void keep(
      next,
      selected.value.length === 1
        ? 'Change an edge’s direction'
        : `Change the direction of ${selected.value.length} edges`,
    )
  }
  /** Whether edges are chosen, and not just the one that was drawn last. */
  const onPurpose = computed(() => selectedIds.value.some((id) => id !== justDrawn.value))
  /** Choose an edge on purpose; with `more` it is added to those chosen, or taken away. */
  function pick(i: number, more: boolean) {
    justDrawn.value = null
    if (more) toggle(i)
    else chosen.value = i
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
    const [place, j] = onLine(points, at ?? middleOf(points))
    const other = freshId()
    const short = Math.min(near(place, points[0]), near(place, points[points.length - 1])) < 10
    const cut = short ? onLine(points, middleOf(points)) : ([place, j] as const)
    next.edges.splice(
      i,
      1,
      { ...next.edges[i], points: [...points.slice(0, cut[1]), cut[0]] },
      { ...next.edges[i], id: other, points: [cut[0], ...points.slice(cut[1])] },
    )
    const one = next.edges[i].id
    void keep(next, 'Split an edge')
    selectedIds.value = [one, other]
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
    askFound(s.id, s.photo!.id, withFound())
  }
  watch(
    () => s.photo?.id,
    () => {
      selectedIds.value = []
      giveUp()
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
    selectedIds,
    justDrawn,
    onPurpose,
    pick,
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
    nextReading,
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
    keepLaid,
    setTape,
    tapeAsked,
    copy,
    removeChosen,
    find,
    takeFound,
    dropFaulty,
  }
}
