/** The open shot against a server of the test's own: what is asked, how often, and what comes of the answers. */
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Job, ShotState } from '../api/client'
import type { Message } from './news'

interface Asked {
  method: string
  path: string
  has: string | null
  body: unknown
}
type Answer = { status?: number; body: unknown } | Promise<{ status?: number; body: unknown }>

const server = vi.hoisted(() => {
  const it = {
    asked: [] as Asked[],
    answer: (() => ({ status: 404, body: {} })) as (asked: Asked) => Answer,
  }
  const Plain = globalThis.Request
  // a page's addresses are its server's; there is no page here
  globalThis.Request = class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === 'string' ? `http://roof.test${input}` : input, init)
    }
  }
  globalThis.fetch = async (input: RequestInfo | URL) => {
    const request = input as Request
    const text = await request.text()
    const asked = {
      method: request.method,
      path: new URL(request.url).pathname,
      has: request.headers.get('Roof-Line-Has'),
      body: text.startsWith('{') ? JSON.parse(text) : text || null, // files come as they are
    }
    it.asked.push(asked)
    const { status = 200, body } = await it.answer(asked)
    return new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })
  }
  return it
})
let hear: (message: Message) => void = () => undefined
vi.mock('./news', () => ({
  listen: (ear: (message: Message) => void) => {
    hear = ear
    return () => undefined
  },
}))

const { formOf, told } = await import('../api/client')
const { useShot } = await import('./shot')

const block = (id: string, name = id) => ({ id, kind: 'block', name })
function whole(revision: number, names: string[] = ['a', 'b'], more: object = {}): ShotState {
  return {
    id: 'mill',
    born: 'monday',
    revision,
    since: null,
    order: null,
    first_frame: 1,
    last_frame: 120,
    jobs: [],
    warming: null,
    rail: [
      { stage: 'massing', figure: '2 solids' },
      { stage: 'move', figure: 'no move' },
    ],
    shapes: names.map((id) => ({ id })),
    shot: { photos: [], ties: [], plates: [], solids: names.map((n) => block(n)), move: { keys: [] } },
    ...more,
  } as unknown as ShotState
}
/** What has changed since a revision: one renamed solid. */
function renamed(since: number, id: string, name: string): ShotState {
  const all = whole(since + 1, [])
  return {
    ...all,
    since,
    order: { photos: [], ties: [], plates: [], solids: ['a', 'b'] },
    shot: { ...all.shot, solids: [block(id, name)] },
  } as unknown as ShotState
}
const changed = (revision: number): Message => ({ shot: 'mill', kind: 'changed', data: { revision } })
const job = (state: Job['state'], more: object = {}) =>
  ({ id: 'j1', kind: 'deliver', state, progress: 0, error: null, ...more }) as unknown as Job
/** An answer that is held back until the test lets it go. */
function held() {
  let let_go: (body: unknown) => void = () => undefined
  const answer = new Promise<{ body: unknown }>((done) => (let_go = (body) => done({ body })))
  return { answer, go: (body: unknown) => let_go(body) }
}
const quiet = () => vi.waitFor(() => new Promise((done) => setTimeout(done)))

async function opened(state = whole(7)) {
  server.answer = () => ({ body: state })
  const s = useShot()
  await s.open('mill')
  server.asked.length = 0
  return s
}

beforeEach(() => {
  setActivePinia(createPinia())
  Object.assign(told, { shot: '', has: '', wants: '' })
})

describe('one change by the own hand', () => {
  it('is one request, and the news of it asks for nothing', async () => {
    const s = await opened()
    server.answer = () => ({ body: renamed(7, 'b', 'Barn') })
    expect(await s.change('PUT', '/solids/b', { name: 'Barn' })).toBe(true)
    hear(changed(8))
    await quiet()
    expect(server.asked).toEqual([
      { method: 'PUT', path: '/api/shots/mill/solids/b', has: 'monday:7', body: { name: 'Barn' } },
    ])
    expect(s.shot.solids.map((x) => x.name)).toEqual(['a', 'Barn'])
  })
  it('asks for nothing when its news overtake the answer', async () => {
    const s = await opened()
    const late = held()
    server.answer = () => late.answer
    const done = s.change('PUT', '/solids/b', {})
    hear(changed(8))
    await quiet()
    late.go(renamed(7, 'b', 'Barn'))
    await done
    await quiet()
    expect(server.asked.length).toBe(1)
    expect(s.state!.revision).toBe(8)
  })
  it('leaves what has not changed the very same', async () => {
    const s = await opened()
    const [a, b] = s.shot.solids
    server.answer = () => ({ body: renamed(7, 'b', 'Barn') })
    await s.change('PUT', '/solids/b', {})
    expect(s.shot.solids[0]).toBe(a)
    expect(s.shot.solids[1]).not.toBe(b)
  })
  it('that is refused says why and changes nothing', async () => {
    const s = await opened()
    const before = s.state
    server.answer = () => ({ status: 422, body: { detail: 'A block needs a height.' } })
    expect(await s.change('PUT', '/solids/b', {})).toBe(false)
    expect(s.problem).toBe('A block needs a height.')
    expect(s.state).toBe(before)
    server.answer = () => ({ body: renamed(7, 'b', 'Barn') })
    await s.change('PUT', '/solids/b', {})
    expect(s.problem).toBeNull()
  })
  it('says so when no one answers', async () => {
    const s = await opened()
    server.answer = () => Promise.reject(new TypeError('refused'))
    expect(await s.change('PUT', '/solids/b', {})).toBe(false)
    expect(s.problem).toContain('does not answer')
    s.close() // or it asks again, in the middle of another test
  })
})

describe('changes faster than answers', () => {
  it('go out one after another, each made from what is there by then', async () => {
    const s = await opened()
    const first = held()
    server.answer = () => first.answer
    const one = s.change('PUT', '/name', { name: 'One' })
    const two = s.change('PUT', '/name', () => ({ name: `At ${s.state!.revision}` }))
    await quiet()
    expect(server.asked.length).toBe(1)
    server.answer = () => ({ body: renamed(8, 'b', 'Barn') })
    first.go(renamed(7, 'a', 'Ash'))
    await Promise.all([one, two])
    expect(server.asked[1]).toMatchObject({ has: 'monday:8', body: { name: 'At 8' } })
    expect(s.shot.solids.map((x) => x.name)).toEqual(['Ash', 'Barn'])
  })
  it('ask nothing when there is nothing to ask by then', async () => {
    const s = await opened()
    expect(await s.change('PUT', '/solids/a', () => undefined)).toBe(false)
    expect(server.asked).toEqual([])
  })
  it('are not stopped by one that is refused', async () => {
    const s = await opened()
    server.answer = (asked) =>
      asked.path.endsWith('/a')
        ? { status: 409, body: { detail: 'It has changed.' } }
        : { body: renamed(7, 'b', 'Barn') }
    expect(await Promise.all([s.change('PUT', '/solids/a', {}), s.change('PUT', '/solids/b', {})])).toEqual([
      false,
      true,
    ])
    expect(s.shot.solids[1].name).toBe('Barn')
  })
})

describe('a change by another hand', () => {
  it('is asked for once, from what is known', async () => {
    const s = await opened()
    server.answer = () => ({ body: renamed(7, 'a', 'Ash') })
    hear(changed(8))
    await vi.waitFor(() => expect(s.state!.revision).toBe(8))
    expect(server.asked).toMatchObject([{ method: 'GET', path: '/api/shots/mill', has: 'monday:7' }])
  })
  it('that came under the own change is asked for after it, if the answer has not brought it', async () => {
    const s = await opened()
    const late = held()
    server.answer = (asked) => (asked.method === 'PUT' ? late.answer : { body: renamed(8, 'a', 'Ash') })
    const done = s.change('PUT', '/solids/b', {})
    hear(changed(9))
    late.go(renamed(7, 'b', 'Barn'))
    await done
    await vi.waitFor(() => expect(s.state!.revision).toBe(9))
    expect(server.asked.map((a) => a.method)).toEqual(['PUT', 'GET'])
    expect(s.shot.solids.map((x) => x.name)).toEqual(['Ash', 'Barn'])
  })
  it('of another shot is nothing to this page', async () => {
    await opened()
    hear({ ...changed(50), shot: 'barn' })
    await quiet()
    expect(server.asked).toEqual([])
  })
  it('whose answer does not fit what is there is asked for whole', async () => {
    const s = await opened()
    server.answer = (asked) => ({ body: asked.has ? renamed(11, 'a', 'Ash') : whole(12, ['a', 'c']) })
    hear(changed(12))
    await vi.waitFor(() => expect(s.state!.revision).toBe(12))
    expect(server.asked.map((a) => a.has)).toEqual(['monday:7', null])
    expect(s.shot.solids.map((x) => x.id)).toEqual(['a', 'c'])
  })
  it('that is older than what is there is left', async () => {
    const s = await opened()
    s.take(whole(6, ['z']))
    expect(s.shot.solids.map((x) => x.id)).toEqual(['a', 'b'])
  })
})

describe('when something may have been missed', () => {
  const again: Message = { shot: '', kind: 'again', data: {} }

  it('the revision is asked for, and no more when it is the same', async () => {
    await opened()
    server.answer = () => ({ body: { born: 'monday', revision: 7 } })
    hear(again)
    await quiet()
    await quiet()
    expect(server.asked.map((a) => a.path)).toEqual(['/api/shots/mill/revision'])
  })
  it('a shot brought anew under the same id is asked for whole', async () => {
    const s = await opened()
    server.answer = (asked) => ({
      body: asked.path.endsWith('/revision') ? { born: 'friday', revision: 2 } : whole(2, ['n'], { born: 'friday' }),
    })
    hear(again)
    await vi.waitFor(() => expect(s.state!.born).toBe('friday'))
    expect(server.asked.map((a) => a.has).at(-1)).toBeNull()
    expect(s.shot.solids.map((x) => x.id)).toEqual(['n'])
  })
})

describe('what news tell besides', () => {
  it('a line of the rail comes without asking, for the revision that is shown', async () => {
    const s = await opened()
    const line = (revision: number, text: string): Message => ({
      shot: 'mill',
      kind: 'rail',
      data: { revision, line: { stage: 'move', figure: text } },
    })
    hear(line(7, '70 of 120 frames hold'))
    hear(line(6, 'of before'))
    expect(s.state!.rail.map((l) => l.figure)).toEqual(['2 solids', '70 of 120 frames hold'])
    expect(server.asked).toEqual([])
  })
  it('that the shot was removed, and how far the engine is', async () => {
    const s = await opened()
    const warming = (ready: boolean): Message => ({ shot: '', kind: 'warming', data: { ready, done: 3, total: 9 } })
    hear(warming(false))
    expect(s.warming).toMatchObject({ done: 3, total: 9 })
    hear(warming(true))
    expect(s.warming).toBeNull()
    hear({ shot: 'mill', kind: 'removed', data: {} })
    expect(s.removed).toBe(true)
  })
})

describe('building', () => {
  it('tells what was made', async () => {
    const s = await opened()
    server.answer = () => ({ body: { made: ['c'], state: whole(8, ['a', 'b', 'c']) } })
    expect(await s.build('/construct', {})).toEqual(['c'])
    expect(s.shot.solids.length).toBe(3)
  })
  it('does not choose for the hand what later news have overtaken', async () => {
    const s = await opened()
    const late = held()
    server.answer = () => late.answer
    const made = s.build('/construct', {})
    await quiet()
    s.take(whole(9, ['a', 'b', 'c', 'd']))
    late.go({ made: ['c'], state: whole(8, ['a', 'b', 'c']) })
    expect(await made).toBeNull()
    expect(s.shot.solids.length).toBe(4)
  })
})

describe('long work', () => {
  it('ends with the news of its end, and a delivery is shown', async () => {
    const s = await opened()
    server.answer = (asked) => ({ body: asked.method === 'POST' ? job('waiting') : whole(7) })
    const ended = s.work('/deliveries')
    await vi.waitFor(() => expect(s.jobs.j1).toBeDefined())
    hear({ shot: 'mill', kind: 'job', data: job('running', { progress: 0.6 }) as unknown as Message['data'] })
    expect(s.jobs.j1.progress).toBe(0.6)
    hear({ shot: 'mill', kind: 'job', data: job('done') as unknown as Message['data'] })
    expect((await ended)!.state).toBe('done')
    await vi.waitFor(() => expect(server.asked.map((a) => a.method)).toEqual(['POST', 'GET']))
  })
  it('is not begun again by news that come late', async () => {
    const s = await opened()
    for (const state of ['cancelled', 'running'] as const)
      hear({ shot: 'mill', kind: 'job', data: job(state) as unknown as Message['data'] })
    expect(s.jobs.j1.state).toBe('cancelled')
  })
  it('that failed says why', async () => {
    const s = await opened()
    server.answer = () => ({ body: job('failed', { error: 'The disk is full.' }) })
    expect([(await s.work('/deliveries'))!.state, s.problem]).toEqual(['failed', 'The disk is full.'])
  })
  it('takes two files brought one after the other for two works', async () => {
    const s = await opened()
    server.answer = () => ({ body: job('done', { kind: 'layers_again' }) })
    await Promise.all(['valley', 'other'].map((name) => s.work('/layers', formOf([new File([name], name)]))))
    expect(server.asked.filter((a) => a.path.endsWith('/layers'))).toHaveLength(2)
  })
  it('leaves what the hand was told when the page itself has the move checked', async () => {
    const s = await opened()
    s.problem = 'A pace lies over the keys.'
    server.answer = () => ({ body: job('done', { kind: 'check' }) })
    await s.check()
    expect(s.problem).toBe('A pace lies over the keys.')
    await s.work('/deliveries')
    expect(s.problem).toBeNull()
  })
  it('is asked for where no news come', async () => {
    const s = await opened()
    vi.useFakeTimers()
    try {
      server.answer = (asked) => ({ body: job(asked.method === 'POST' ? 'running' : 'done', { kind: 'check' }) })
      const ended = s.check()
      await vi.advanceTimersByTimeAsync(2500)
      expect((await ended)!.state).toBe('done')
      expect(server.asked.map((a) => a.path)).toEqual(['/api/shots/mill/check', '/api/jobs/j1'])
    } finally {
      vi.useRealTimers()
    }
  })
})

describe('another shot that is opened', () => {
  it('is not shown what was done to the last one, and gets none of its answers', async () => {
    const s = await opened()
    const late = held()
    server.answer = (asked) => (asked.method === 'PUT' ? late.answer : { body: { ...whole(2), id: 'barn' } })
    const done = s.change('PUT', '/name', { name: 'Old mill' }, (shot) => ({ ...shot, name: 'Old mill' }))
    await quiet()
    await s.open('barn')
    expect([s.id, s.shot.name]).toEqual(['barn', undefined])
    late.go(whole(8))
    await done
    expect([s.id, s.state!.revision]).toEqual(['barn', 2])
  })
  it('brings back nothing of the last one', async () => {
    const s = await opened()
    const late = held()
    server.answer = (asked) => (asked.method === 'PUT' ? late.answer : { body: { ...whole(2), id: 'barn' } })
    void s.change('PUT', '/limits', { stretch: 2 })
    void s.change('PUT', '/limits', { stretch: 3 })
    await s.undo() // the second one: it has not been sent
    await s.open('barn')
    late.go(whole(8))
    await quiet()
    server.asked.length = 0
    void s.redo()
    await quiet()
    expect(server.asked.map((a) => a.path)).toEqual(['/api/shots/barn/redo'])
  })
})

describe('answers that never fit', () => {
  it('are not asked for without end, and the page says so', async () => {
    const s = await opened()
    server.answer = () => ({ body: renamed(30, 'b', 'Barn') })
    await s.change('PUT', '/solids/b', { name: 'Barn' })
    s.take(renamed(40, 'b', 'Barn'))
    await vi.waitFor(() => expect(s.problem).toContain('Load the page again'))
    const asked = server.asked.length
    await quiet()
    expect(server.asked.length).toBe(asked)
    expect(asked).toBeLessThan(8)
    expect(s.shot.solids.map((x) => x.name)).toEqual(['a', 'b'])
  })
})
