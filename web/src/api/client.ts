/** A thin client: JSON in, JSON out, problems as errors with their sentence. */
import type { components } from './types.gen'

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

export class Problem extends Error {}

export async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  const form = body instanceof FormData
  let response: Response
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal,
      headers: body === undefined || form ? undefined : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : form ? body : JSON.stringify(body),
    })
  } catch (error) {
    if (signal?.aborted) throw error
    throw new Problem('The server does not answer. Is it still running?')
  }
  if (response.ok) return (await response.json()) as T
  let detail = `The server answered ${response.status}.`
  if (response.headers.get('Content-Type')?.includes('json')) detail = ((await response.json()) as { detail: string }).detail
  throw new Problem(detail)
}

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
