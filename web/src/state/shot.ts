/** The shot that is open: its state as the server has it, news, and the one way to change it. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import {
  api,
  call,
  got,
  NO_ANSWER,
  Problem,
  told,
  type Job,
  type Key,
  type Photo,
  type Schemas,
  type ShotState,
} from '../api/client'
import type { Given, Method } from '../api/writes'
import { sendHeld } from '../hand/held'
import { Dropped } from '../hand/order'
import { useHand, type Apply, type How } from './hand'
import { fits, merged } from './merge'
import { listen, type Message } from './news'

export type Stage = 'photo' | 'survey' | 'massing' | 'plates' | 'move' | 'handoff'
export const STAGES: { id: Stage; name: string }[] = [
  { id: 'photo', name: 'Photo' },
  { id: 'survey', name: 'Survey' },
  { id: 'massing', name: 'Massing' },
  { id: 'plates', name: 'Plates' },
  { id: 'move', name: 'Move' },
  { id: 'handoff', name: 'Hand-off' },
]

const MOST_ASTRAY = 3
const ASK_AGAIN = 1500 // ms

export const useShot = defineStore('shot', () => {
  const state = shallowRef<ShotState | null>(null)
  const problem = ref<string | null>(null)
  const jobs = ref<Record<string, Job>>({})
  const photoId = ref<string | null>(null)
  const solidId = ref<string | null>(null)
  const plateId = ref<string | null>(null)
  const frame = ref(1)
  const busy = ref(0)
  /** How far the engine is compiled, while it is: once after an update. */
  const warming = ref<Schemas['WarmingState'] | null>(null)
  /** That the shot was removed elsewhere. */
  const removed = ref(false)
  /** What is wrong with the data folder: it has gone away, say; null where nothing is. */
  const folder = ref<string | null>(null)
  /** That the server does not answer. */
  const away = ref(false)
  let deaf: (() => void) | null = null
  /** How many answers in a row did not fit. One can, when answers overtake one another; a row of them is a fault. */
  let astray = 0
  /** The newest revision that news have told of. */
  let newest = 0
  const doneWaiters = new Map<string, (job: Job) => void>()

  const hand = useHand()
  const id = computed(() => state.value?.id ?? '')
  /** The shot as the hand has made it: what the server has, and what has been asked and is not answered yet. */
  const shot = computed(() => hand.shown(state.value!.shot))
  const photo = computed<Photo | null>(() => {
    const photos = state.value ? (shot.value.photos ?? []) : []
    return photos.find((p) => p.id === photoId.value) ?? photos[0] ?? null
  })
  const homePhoto = computed<Photo | null>(() => (state.value && shot.value.photos.find((p) => p.camera)) || null)
  const keys = computed<Key[]>(() => (state.value ? shot.value.move.keys : []))
  const grounds = computed(() => solids().flatMap((x) => (x.kind === 'ground' ? [x.id] : [])))
  const solids = () => (state.value ? shot.value.solids : [])
  const solid = computed(() => solids().find((s) => s.id === solidId.value) ?? null)
  const plate = computed(() => (state.value && shot.value.plates.find((p) => p.id === plateId.value)) || null)

  const path = () => ({ params: { path: { shot_id: id.value } } })

  function take(answer: ShotState) {
    const known = state.value
    if (known?.id === answer.id && known.born === answer.born && answer.revision < known.revision) return
    if (!fits(known, answer)) {
      // an answer to what the page had by then: what it has by now must be asked for
      told.has = ''
      if (++astray > MOST_ASTRAY) {
        problem.value = 'What the server answers does not fit what this page shows. Load the page again.'
        return
      }
      return void refresh()
    }
    astray = 0
    const next = merged(known, answer)
    state.value = next
    told.shot = next.id
    told.has = `${next.born}:${next.revision}`
    warming.value = next.warming ?? null
    frame.value = Math.min(Math.max(frame.value, next.first_frame), next.last_frame)
    next.jobs.forEach(settle)
  }

  async function open(shotId: string) {
    problem.value = null
    if (state.value?.id !== shotId) {
      hand.leave()
      state.value = null
      solidId.value = plateId.value = photoId.value = null
      jobs.value = {}
      told.has = ''
    }
    newest = 0
    removed.value = false
    take(await got<Schemas['ShotState']>(api.GET('/api/shots/{shot_id}', { params: { path: { shot_id: shotId } } })))
    deaf ??= listen(hear)
  }

  function hear(message: Message) {
    const known = state.value
    if (message.kind === 'again') return void askAgain()
    if (message.kind === 'warming') {
      const w = message.data as unknown as Schemas['WarmingState'] & { ready: boolean }
      warming.value = w.ready ? null : w
    }
    if (message.kind === 'folder') folder.value = message.data.says as string | null
    if (!known || message.shot !== known.id) return
    if (message.kind === 'changed') {
      newest = Math.max(newest, message.data.revision as number)
      void catchUp()
    } else if (message.kind === 'job') {
      settle(message.data as unknown as Job)
    } else if (message.kind === 'rail' && message.data.revision === known.revision) {
      const line = message.data.line as Schemas['Telling']
      state.value = { ...known, rail: known.rail.map((l) => (l.stage === line.stage ? line : l)) }
    } else if (message.kind === 'removed') {
      removed.value = true
    }
  }

  /** A page that has a revision asks for nothing; and while it waits for an answer of its own, that one brings it. */
  async function catchUp() {
    if (!busy.value && state.value && newest > state.value.revision) await refresh()
  }

  /** Nobody has told for a while, or something may have been missed. */
  async function askAgain() {
    const known = state.value
    if (!known) return
    try {
      const now = await got<Schemas['Revision']>(api.GET('/api/shots/{shot_id}/revision', path()))
      folder.value = now.folder
      if (now.born !== known.born) told.has = ''
      if (away.value) {
        away.value = false
        if (problem.value === NO_ANSWER) problem.value = null
      }
      if (now.born !== known.born || now.revision > known.revision) await refresh()
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      if (error.status === 404) removed.value = true
      else if (error.status === null) void askUntilAnswered()
    }
  }

  function settle(job: Job) {
    const known = jobs.value[job.id]
    if (known && ['done', 'failed', 'cancelled'].includes(known.state)) return // news can overtake one another
    jobs.value[job.id] = job
    if (['done', 'failed', 'cancelled'].includes(job.state)) {
      // a delivery changes no revision, and yet there is something new to show
      if (known && job.state === 'done' && ['deliver', 'export'].includes(job.kind)) void refresh()
      doneWaiters.get(job.id)?.(job)
      doneWaiters.delete(job.id)
    }
  }

  /** Who leaves the shot hears and asks no more. */
  function close() {
    deaf?.()
    deaf = null
    away.value = false
  }

  async function refresh() {
    if (!state.value) return
    try {
      take(await got<Schemas['ShotState']>(api.GET('/api/shots/{shot_id}', path())))
    } catch (error) {
      if (!(error instanceof Problem)) throw error
    }
  }

  /** What failed is said; and when nobody answered, the server is asked until it does. */
  function refused(error: unknown): null | undefined {
    if (error instanceof Dropped) return undefined
    if (!(error instanceof Problem)) throw error
    problem.value = error.message
    if (error.status === null) void askUntilAnswered()
    return null
  }
  async function askUntilAnswered() {
    if (away.value) return
    away.value = true
    while (away.value) {
      await new Promise((done) => setTimeout(done, ASK_AGAIN))
      if (away.value) await askAgain()
    }
  }

  /**
   * Ask the server to change the shot. A refusal is shown, and nothing has changed. A body that is a function is made
   * when its turn comes, from what is there by then; if it makes none, nothing is asked. `apply` shows the change at
   * once, until it is answered. No one waits for a picture that is being brought.
   */
  async function change<M extends Method, P extends string>(
    method: M,
    path: P,
    ...given: Given<P, M, [apply?: Apply]>
  ): Promise<boolean> {
    const [body, apply] = given as [unknown, Apply?]
    const url = `/shots/${id.value}${path}`
    const send = async () => {
      const made: unknown = typeof body === 'function' ? await (body as () => unknown)() : body
      return made === undefined && body !== undefined ? null : call<ShotState>(method, url, made)
    }
    return (await asked(send, (next) => take(next), { apply, aside: body instanceof FormData })) !== null
  }

  /** Set some of what is delivered, or of the limits; the rest stays, whoever has changed it. */
  const set = (what: 'delivery' | 'limits', to: object) =>
    change('PATCH', `/${what}` as '/delivery' | '/limits', to, (now) => ({ ...now, [what]: { ...now[what], ...to } }))

  /** Send a change when its turn comes, and take its answer in; null when it was refused, undefined if taken back. */
  async function asked<T>(send: () => Promise<T | null>, answered: (answer: T) => void, how: How) {
    const of = id.value
    if (!of) return null // no shot is there yet
    busy.value++
    try {
      return await hand.asked(
        send,
        (answer) => {
          if (of !== id.value) return // another shot has been opened meanwhile
          answered(answer)
          if (!away.value) problem.value = null
        },
        how,
      )
    } catch (error) {
      return refused(error)
    } finally {
      busy.value--
      void catchUp()
    }
  }

  /**
   * As `change`, for what makes or chooses pieces: their ids; null when it was refused, and when later news has
   * overtaken the answer: what the hand has chosen since then stays chosen. A body that is a function is made when its
   * turn comes.
   */
  async function build<P extends string>(path: P, ...given: Given<P, 'POST', []>): Promise<string[] | null> {
    const [body] = given as [unknown]
    const url = `/shots/${id.value}${path}`
    let overtaken = false
    const built = await asked<Schemas['Built']>(
      () => call('POST', url, typeof body === 'function' ? (body as () => unknown)() : body),
      (answer) => {
        overtaken = answer.state.revision < (state.value?.revision ?? 0)
        take(answer.state)
      },
      {},
    )
    return built && !overtaken ? built.made : null
  }

  /** Take back what the hand did last, sent or not; or make it again. */
  async function undo(): Promise<void> {
    const url = `/shots/${id.value}/undo`
    await hand.undo((wanted) =>
      asked(async () => (wanted() ? call<ShotState>('POST', url) : null), take, { step: true }),
    )
  }
  async function redo(): Promise<void> {
    const url = `/shots/${id.value}/redo`
    await hand.redo(() => asked(() => call<ShotState>('POST', url), take, { step: true }))
  }

  /**
   * Start long work and wait for its end. Asked for twice, it is done once; but files are never the same twice. `on`:
   * the revision that the page itself has it done on: on another it is other work, and what the hand was told stays.
   */
  const under = new Map<string, Promise<Job | null>>()
  function work<P extends string>(path: P, ...given: Given<P, 'POST', [on?: number | null]>): Promise<Job | null> {
    const [body, on = null] = given as [unknown, (number | null)?]
    const key = `${id.value} ${path} ${JSON.stringify(body ?? null)} ${on}`
    const same = body instanceof FormData ? undefined : under.get(key)
    if (same) return same
    sendHeld()
    const mine = worked(path, body, on === null).finally(() => under.get(key) === mine && under.delete(key))
    under.set(key, mine)
    return mine
  }
  /** Have the move checked as it stands. */
  const check = () => work('/check', undefined, state.value?.revision)
  async function worked(path: string, body: unknown, byHand: boolean): Promise<Job | null> {
    await hand.quiet() // it is done on what the hand has made
    if (byHand) problem.value = null
    try {
      const job = await call<Job>('POST', `/shots/${id.value}${path}`, body)
      const ended = await endOf(job)
      if (ended.state === 'failed') problem.value = ended.error
      if (state.value && ended.state === 'done' && ended.kind !== 'check') await catchUp()
      return ended
    } catch (error) {
      return refused(error) ?? null
    }
  }

  /** Wait for the end of long work. */
  function endOf(job: Job): Promise<Job> {
    settle(job)
    return new Promise<Job>((done) => {
      const already = jobs.value[job.id]
      if (['done', 'failed', 'cancelled'].includes(already.state)) return done(already)
      const before = doneWaiters.get(job.id) // several may wait for the same
      doneWaiters.set(job.id, (end) => {
        before?.(end)
        done(end)
      })
      // news may have come before the answer, or the line may be down: ask as well
      const poll = async () => {
        if (!doneWaiters.has(job.id)) return
        settle(
          await got<Schemas['JobState']>(api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })).catch(
            () => job,
          ),
        )
        if (doneWaiters.has(job.id)) setTimeout(poll, 700)
      }
      setTimeout(poll, 1500)
    })
  }

  async function cancel(jobId: string) {
    await got<Schemas['JobState']>(api.DELETE('/api/jobs/{job_id}', { params: { path: { job_id: jobId } } })).catch(
      () => null,
    )
  }

  return {
    state,
    problem,
    warming,
    removed,
    jobs,
    photoId,
    solidId,
    plateId,
    frame,
    busy,
    id,
    shot,
    photo,
    homePhoto,
    keys,
    grounds,
    solid,
    plate,
    open,
    close,
    refresh,
    change,
    set,
    build,
    undo,
    redo,
    away,
    folder,
    work,
    check,
    endOf,
    cancel,
    take,
  }
})
