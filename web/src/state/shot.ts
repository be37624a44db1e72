/** The shot that is open: its state as the server has it, news, and the one way to change it. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { call, Problem, type Job, type Key, type Photo, type Schemas, type ShotState } from '../api/client'

export type Stage = 'photo' | 'survey' | 'massing' | 'plates' | 'move' | 'handoff'
export const STAGES: { id: Stage; name: string }[] = [
  { id: 'photo', name: 'Photo' },
  { id: 'survey', name: 'Survey' },
  { id: 'massing', name: 'Massing' },
  { id: 'plates', name: 'Plates' },
  { id: 'move', name: 'Move' },
  { id: 'handoff', name: 'Hand-off' },
]

export const useShot = defineStore('shot', () => {
  const state = shallowRef<ShotState | null>(null)
  const problem = ref<string | null>(null)
  const jobs = ref<Record<string, Job>>({})
  const photoId = ref<string | null>(null)
  const solidId = ref<string | null>(null)
  const plateId = ref<string | null>(null)
  const frame = ref(1)
  const busy = ref(0)
  let news: EventSource | null = null
  const doneWaiters = new Map<string, (job: Job) => void>()

  const id = computed(() => state.value?.id ?? '')
  const shot = computed(() => state.value!.shot)
  const photo = computed<Photo | null>(() => {
    const photos = state.value?.shot.photos ?? []
    return photos.find((p) => p.id === photoId.value) ?? photos[0] ?? null
  })
  const homePhoto = computed<Photo | null>(() => state.value?.shot.photos.find((p) => p.camera) ?? null)
  const keys = computed<Key[]>(() => state.value?.shot.move.keys ?? [])
  const solid = computed(() => state.value?.shot.solids.find((s) => s.id === solidId.value) ?? null)
  const plate = computed(() => state.value?.shot.plates.find((p) => p.id === plateId.value) ?? null)

  function take(next: ShotState) {
    if (state.value && state.value.id === next.id && next.revision < state.value.revision) return
    state.value = next
    frame.value = Math.min(Math.max(frame.value, next.first_frame), next.last_frame)
    next.jobs.forEach(settle)
  }

  async function open(shotId: string) {
    problem.value = null
    if (state.value?.id !== shotId) {
      state.value = null
      solidId.value = plateId.value = photoId.value = null
      jobs.value = {}
    }
    const next = await call<ShotState>('GET', `/shots/${shotId}`)
    frame.value = Math.min(Math.max(frame.value, next.first_frame), next.last_frame)
    take(next)
    listen(shotId)
  }

  function listen(shotId: string) {
    news?.close()
    news = new EventSource(`/api/shots/${shotId}/events`)
    news.addEventListener('changed', () => void refresh())
    news.addEventListener('job', (event) => {
      const job = JSON.parse((event as MessageEvent<string>).data) as Job
      settle(job)
    })
  }

  function settle(job: Job) {
    const known = jobs.value[job.id]
    if (known && ['done', 'failed', 'cancelled'].includes(known.state)) return // news can overtake one another
    jobs.value[job.id] = job
    if (['done', 'failed', 'cancelled'].includes(job.state)) {
      doneWaiters.get(job.id)?.(job)
      doneWaiters.delete(job.id)
    }
  }

  function close() {
    news?.close()
    news = null
  }

  async function refresh() {
    if (!state.value) return
    try {
      take(await call<ShotState>('GET', `/shots/${id.value}`))
    } catch (error) {
      if (!(error instanceof Problem)) throw error
    }
  }

  /** Changes go out one after another, each when the one before is answered: hands are faster than answers. */
  let turn: Promise<unknown> = Promise.resolve()
  function inTurn<T>(send: () => Promise<T>): Promise<T> {
    const mine = turn.then(send)
    turn = mine.catch(() => undefined)
    return mine
  }

  /**
   * Ask the server to change the shot. A refusal is shown, and nothing has changed. A body that is a function is made
   * when its turn comes, from what is there by then; if it makes none, nothing is asked. No one waits for a picture
   * that is being brought.
   */
  async function change(method: string, path: string, body?: unknown): Promise<boolean> {
    const url = `/shots/${id.value}${path}`
    const send = async () => {
      const made: unknown = typeof body === 'function' ? body() : body
      return made === undefined && body !== undefined ? null : call<ShotState>(method, url, made)
    }
    busy.value++
    try {
      const next = await (body instanceof FormData ? send() : inTurn(send))
      if (!next) return false
      take(next)
      problem.value = null
      return true
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problem.value = error.message
      return false
    } finally {
      busy.value--
    }
  }

  /**
   * As `change`, for what makes or chooses pieces: their ids; null when it was refused, and when later news has
   * overtaken the answer: what the hand has chosen since then stays chosen.
   */
  async function build(path: string, body: unknown): Promise<string[] | null> {
    const url = `/shots/${id.value}${path}`
    busy.value++
    try {
      const got = await inTurn(() => call<Schemas['Built']>('POST', url, body))
      const overtaken = got.state.revision < (state.value?.revision ?? 0)
      take(got.state)
      problem.value = null
      return overtaken ? null : got.made
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problem.value = error.message
      return null
    } finally {
      busy.value--
    }
  }

  /** Start long work and wait for its end. */
  async function work(path: string, body?: unknown): Promise<Job | null> {
    problem.value = null
    try {
      const job = await call<Job>('POST', `/shots/${id.value}${path}`, body)
      settle(job)
      const ended = await new Promise<Job>((done) => {
        const already = jobs.value[job.id]
        if (['done', 'failed', 'cancelled'].includes(already.state)) return done(already)
        doneWaiters.set(job.id, done)
        // news may have come before the answer, or the line may be down: ask as well
        const poll = async () => {
          if (!doneWaiters.has(job.id)) return
          settle(await call<Job>('GET', `/jobs/${job.id}`).catch(() => job))
          if (doneWaiters.has(job.id)) setTimeout(poll, 700)
        }
        setTimeout(poll, 250)
      })
      if (ended.state === 'failed') problem.value = ended.error
      await refresh()
      return ended
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problem.value = error.message
      return null
    }
  }

  async function cancel(jobId: string) {
    await call<Job>('DELETE', `/jobs/${jobId}`).catch(() => null)
  }

  return {
    state, problem, jobs, photoId, solidId, plateId, frame, busy, id, shot, photo, homePhoto, keys, solid, plate,
    open, close, refresh, change, build, work, cancel, take,
  }
})
