import { describe, expect, it, vi } from 'vitest'
import type { Plate, Shot } from '../../api/client'
import {
  addStep,
  addStroke,
  changeStep,
  FIGURES,
  fresh,
  madeOf,
  MATTES,
  moveStep,
  PICTURES,
  reach,
  removeStep,
  removeStroke,
  strokesOf,
  summary,
  switchStep,
  TITLES,
  type Step,
} from './steps'

const plate = (id: string, steps: unknown[] = [], photo = 'photo') =>
  ({ id, name: id.toUpperCase(), photo, canvas: [10, 20, 300, 200], steps }) as unknown as Plate
const shot = (...plates: Plate[]) =>
  ({ plates, solids: [{ id: 'wall', name: 'Wall', kind: 'wall' }], photos: [], throws: [] }) as unknown as Shot
const follows = (other: string) => ({ id: 's1', do: 'plate', mode: 'add', plate: other, off: false, name: null })
type Sent = { method: string; path: string; body: unknown; after: Shot }

/** A store that keeps what it is asked, and what the shot then looks like. */
function recorder(before: Shot) {
  const sent: Sent[] = []
  const change = vi.fn((method: string, path: string, body: unknown, apply?: (s: Shot) => Shot) => {
    sent.push({ method, path, body, after: apply ? apply(before) : before })
    return Promise.resolve(true)
  })
  return { s: { change, shot: before } as unknown as Parameters<typeof addStep>[0], sent }
}
const stepsOf = (s: Shot, id = 'a') => s.plates.find((p) => p.id === id)!.steps as Step[]

describe('steps', () => {
  it('of every kind have a title, and those that need nothing begin with figures within their bounds', () => {
    const now = shot(plate('a'), plate('b'))
    for (const kind of [...MATTES, ...PICTURES]) {
      expect(TITLES[kind]).toBeTruthy()
      const step = fresh(kind, now, now.plates[0])
      if (!step) continue
      expect(step.do).toBe(kind)
      for (const f of FIGURES[kind] ?? []) {
        const value = (step as unknown as Record<string, number>)[f.key]
        expect(value).toBeGreaterThanOrEqual(f.min)
        expect(value).toBeLessThanOrEqual(f.max)
      }
    }
    expect(fresh('plate', shot(plate('a')), plate('a'))).toBeNull() // there is no other plate
  })

  it('that would make a plate of itself are not offered', () => {
    const now = shot(plate('a'), plate('b', [follows('a')]), plate('c', [{ do: 'fill', where: [follows('b')] }]))
    expect(madeOf(now, now.plates[1], 'a')).toBe(true)
    expect(madeOf(now, now.plates[2], 'a')).toBe(true)
    expect(madeOf(now, now.plates[0], 'c')).toBe(false)
    expect(fresh('plate', now, now.plates[0])).toBeNull()
    expect(fresh('plate', now, now.plates[2])).toMatchObject({ plate: 'a' })
  })

  it('are told in a line', () => {
    const now = shot(plate('a'))
    const said = (step: unknown) => summary(step as Step, now)
    expect(said({ do: 'outline', loops: [1], feather_px: 3 })).toBe('3 px soft')
    expect(said({ do: 'outline', loops: [1, 2], feather_px: 0 })).toBe('2 loops, 0 px soft')
    expect(said({ do: 'colour', at: [1], tolerance: 8 })).toBe('1 pick, ΔE 8')
    expect(said({ do: 'brush', strokes: [] })).toBe('0 strokes')
    expect(said({ do: 'silhouette', targets: ['wall/front'] })).toBe('Wall')
    expect(said({ do: 'plate', plate: 'a' })).toBe('A')
    expect(said({ do: 'fill', where: { in_front_of: ['wall'] }, how: 'texture' })).toBe('before Wall')
    expect(said({ do: 'grade', exposure: 0.5 })).toBe('+0.5 stops')
  })

  it('extend where a plate lies, unless they are off', () => {
    const extend = { do: 'extend', left: 40, top: 10, right: 5, bottom: 0, off: false }
    expect(reach(plate('a', [extend]))).toEqual([-30, 10, 345, 210])
    expect(reach(plate('a', [{ ...extend, off: true }]))).toEqual([10, 20, 300, 200])
  })

  it('are put in, changed, moved, switched and taken out by their own names', () => {
    const one = { ...follows('b'), id: 'x1' } as Step
    const two = { id: 'x2', do: 'grow', px: 4, off: false, name: null } as Step
    const now = shot(plate('a', [one, two]), plate('b'))
    const { s, sent } = recorder(now)
    const three = { id: 'x3', do: 'feather', px: 2, off: false, name: null } as Step
    void addStep(s, 'a', three)
    void changeStep(s, 'a', { ...two, px: 9 } as Step)
    void moveStep(s, 'a', 'x2', 0)
    void switchStep(s, 'a', 'x1', true)
    void removeStep(s, 'a', 'x1')
    expect(sent.map((x) => `${x.method} ${x.path}`)).toEqual([
      'POST /plates/a/steps',
      'PATCH /plates/a/steps/x2',
      'PATCH /plates/a/steps/x2',
      'PATCH /plates/a/steps/x1',
      'DELETE /plates/a/steps/x1',
    ])
    expect(sent.map((x) => stepsOf(x.after).map((y) => y.id))).toEqual([
      ['x1', 'x2', 'x3'],
      ['x1', 'x2'],
      ['x2', 'x1'],
      ['x1', 'x2'],
      ['x2'],
    ])
    expect(sent[1].body).toEqual({ set: { px: 9 } }) // and nothing of the step that the hand left as it was
    expect(stepsOf(sent[1].after)[1]).toMatchObject({ px: 9 })
    expect(stepsOf(sent[3].after)[0].off).toBe(true)
    expect(sent.every((x) => stepsOf(x.after, 'b').length === 0)).toBe(true) // other plates stay as they are
  })

  it('keep what another page has changed while a hand was dragging', () => {
    const taken = { id: 'x2', do: 'grow', px: 4, off: false, name: null } as Step
    const { s, sent } = recorder(shot(plate('a', [{ ...taken, name: 'Wider' }])))
    void changeStep(s, 'a', { ...taken, px: 9 } as Step, taken)
    expect(sent[0].body).toEqual({ set: { px: 9 } })
    expect(stepsOf(sent[0].after)[0]).toMatchObject({ px: 9, name: 'Wider' })
  })

  it('are drawn stroke by stroke', () => {
    const stroke = { id: 'k2', points: [[1, 2]], radius_px: 5, radius_m: null, hardness: 1 } as never
    const brush = { id: 'x1', do: 'brush', mode: 'add', strokes: [{ id: 'k1' }], off: false, name: null } as never
    const { s, sent } = recorder(shot(plate('a', [brush])))
    void addStroke(s, 'a', 'x1', stroke)
    void removeStroke(s, 'a', 'x1', 'k1')
    const ids = sent.map((x) => (stepsOf(x.after)[0] as { strokes: { id: string }[] }).strokes.map((k) => k.id))
    expect(ids).toEqual([['k1', 'k2'], []])
    expect(sent[1].path).toBe('/plates/a/steps/x1/strokes/k1')
  })

  it('say where a fill is, stroke by stroke too', () => {
    const stroke = { id: 'k2', points: [[1, 2]], radius_px: 5, radius_m: null, hardness: 1 } as never
    const brush = { id: 'w1', do: 'brush', mode: 'add', strokes: [{ id: 'k1' }], off: false, name: null }
    const fill = { id: 'x1', do: 'fill', where: [{ id: 'w0', do: 'grow', px: 2 }, brush], off: false } as never
    const { s, sent } = recorder(shot(plate('a', [fill])))
    void addStroke(s, 'a', 'x1', stroke)
    void removeStroke(s, 'a', 'x1', 'k1')
    const ids = sent.map((x) => strokesOf(stepsOf(x.after)[0] as never).map((k) => k.id))
    expect(ids).toEqual([['k1', 'k2'], []])
    expect((stepsOf(sent[0].after)[0] as { where: object[] }).where[0]).toEqual({ id: 'w0', do: 'grow', px: 2 })
  })
})
