/** The server's API, typed from its document; problems as errors with their sentence. */
import createClient from 'openapi-fetch'
import type { components, paths } from './types.gen'

export type Schemas = components['schemas']
export type ShotState = Schemas['ShotState']
export type Shot = Schemas['Shot']
export type Photo = Schemas['Photo']
export type Camera = Schemas['Camera']
export type Survey = Schemas['Survey']
export type SurveyResult = Schemas['SurveyResult']
export type Edge = Schemas['Edge']
export type Tie = Schemas['Tie']
export type Advice = Schemas['Advice']
export type Family = 'run' | 'return' | 'rise'
/** Directions of edges: a second run is level, at an angle of its own. */
export type EdgeFamily = Family | 'second'
export type Plate = Schemas['Plate']
export type Throw = Schemas['Throw']
export type Key = Schemas['Key']
export type Job = Schemas['JobState']
export type FrameCamera = Schemas['FrameCamera']
export type FrameReport = Schemas['FrameReport']
export type Solid = Shot['solids'][number]
export type Shape = Schemas['Outlined']
export type Vec2 = [number, number]
export type Vec3 = [number, number, number]

export class Problem extends Error {
  /** `status`: of the answer; null when the server did not answer at all. */
  constructor(
    message: string,
    readonly status: number | null = null,
  ) {
    super(message)
  }
}
export const NO_ANSWER = 'The server does not answer. Is it still running?'
/** Bytes up to which a browser goes on sending after its page has gone. */
const KEPT_ALIVE = 30_000

/** What is said with every request about a shot: the revision that the page has, and whether it shows the path. */
export const told: { shot: string; has: string; wants: string } = { shot: '', has: '', wants: '' }

export const api = createClient<paths>({ baseUrl: '' })
api.use({
  onRequest({ request }) {
    if (told.shot && new URL(request.url).pathname.startsWith(`/api/shots/${told.shot}`)) {
      if (told.has) request.headers.set('Roof-Line-Has', told.has)
      if (told.wants) request.headers.set('Roof-Line-Wants', told.wants)
    }
    return request
  },
})

/**
 * The answer to a request; a refusal is thrown as a Problem. The type is said where it is asked: a client's own types
 * forget that tuples have a length.
 */
export async function got<T>(asked: Promise<{ data?: unknown; error?: unknown; response: Response }>): Promise<T> {
  let answer
  try {
    answer = await asked
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem(NO_ANSWER)
  }
  if (answer.response.ok) return answer.data as T
  const detail = (answer.error as { detail?: string } | undefined)?.detail
  throw new Problem(detail ?? `The server answered ${answer.response.status}.`, answer.response.status)
}

/** A request whose path is made up where it is asked: for changes, which all answer alike. */
export function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const ask = api.request as unknown as (
    method: string,
    path: string,
    init: object,
  ) => Promise<{ data?: T; error?: unknown; response: Response }>
  const keepalive = !(body instanceof FormData) && JSON.stringify(body ?? null).length < KEPT_ALIVE
  return got<T>(ask(method.toLowerCase(), `/api${path}`, body === undefined ? { keepalive } : { body, keepalive }))
}

/** Files as a form that is sent. */
export function formOf(files: readonly File[]): FormData {
  const form = new FormData()
  for (const file of files) form.append('file', file)
  return form
}

/** A plate's picture for the screen, by address. It is named after its files, so that a browser may keep it. */
/** A plate as it is thrown, `of` what names its looks now (`ShotState.pictures`). */
export const textureOf = (shot: string, plate: string, width: number, of: string, frame?: number) =>
  `/api/shots/${shot}/plates/${plate}/texture?width=${width}&of=${of}${frame === undefined ? '' : `&frame=${frame}`}`
/** A plate, or its matte, on its whole canvas; as it is after a step, if one is named. */
export const lookOf = (shot: string, plate: string, shown: 'plate' | 'matte', of: string, until: string | null) =>
  `/api/shots/${shot}/plates/${plate}/look?width=1800&shown=${shown}&of=${of}${until ? `&until=${until}` : ''}`

/** Runs only the latest of a row of requests, one at a time: for answers that follow a drag. */
export function latest<A extends unknown[], R>(ask: (...args: A) => Promise<R>, take: (result: R) => void) {
  let running = false
  let waiting: A | null = null
  let round = 0
  const go = async (args: A): Promise<void> => {
    running = true
    const mine = round
    try {
      const result = await ask(...args)
      if (mine === round) take(result)
    } catch (error) {
      if (!(error instanceof Problem)) throw error
    } finally {
      running = false
      if (waiting) {
        const next = waiting
        waiting = null
        void go(next)
      }
    }
  }
  const run = (...args: A) => {
    if (running) waiting = args
    else void go(args)
  }
  /** Forget what has been asked. */
  run.drop = () => {
    waiting = null
    round++
  }
  return run
}
