import { describe, expect, it } from 'vitest'
import type { Schemas, Vec2 } from '../../api/client'
import { backOf, FORMATS, millimetresAPixel } from './back'
import cases from './frame.gen.json'
import { alike, beyond, endOf, resized, unenlarged } from './frame'

type Delivery = Schemas['Delivery']
const shot = (more: object) =>
  ({
    move: { keys: [], speed: null, carrier: null },
    solids: [],
    groups: [],
    plates: [],
    ...more,
  }) as unknown as Schemas['Shot']

describe('a frame at another size', () => {
  it('is the server’s', () => {
    for (const { was, photo, to, now } of cases.sizes) {
      const got = resized(was as unknown as Delivery, was.framing as Schemas['Framing'], photo, to as Vec2)
      expect(got.framing!.scale).toBeCloseTo(now.framing.scale, 9)
      got.framing!.centre.forEach((v, i) => expect(v).toBeCloseTo(now.framing.centre[i], 6))
      expect([got.width, got.height]).toEqual([now.width, now.height])
    }
  })
  it('tells another aspect from a pixel that is rounded', () => {
    expect(alike([1920, 1080], [854, 480])).toBe(true)
    expect(alike([1920, 1080], [3840, 2160])).toBe(true)
    expect(alike([1920, 1080], [3840, 1080])).toBe(false)
    expect(alike([1920, 1080], [640, 1080])).toBe(false)
  })
  it('is not enlarged at the size that says so', () => {
    const [w, h] = unenlarged({ width: 1920, height: 1080 } as Delivery, 0.31)
    expect((w % 2) + (h % 2)).toBe(0)
    expect((1920 * 0.31) / w).toBeGreaterThanOrEqual(1)
    expect(unenlarged({ width: 1920, height: 1080 } as Delivery, 3)).toEqual([1920, 1080])
  })
})

describe('what lies beyond a frame', () => {
  it('is told by what it is', () => {
    const one = shot({ move: { keys: [{ frame: 1 }, { frame: 60 }], speed: null, carrier: { keys: [{ frame: 9 }] } } })
    expect(beyond(one, 40)).toEqual(['1 key of the camera'])
    expect(beyond(one, 5)).toEqual(['1 key of the camera', '1 key of the carrier'])
    expect(beyond(one, 60)).toEqual([])
    expect(endOf(one, 1)).toBe(60)
  })
  it('is the pace’s where there is one', () => {
    const paced = shot({
      move: {
        keys: [{ frame: 60 }],
        speed: [
          [1, 0],
          [50, 1],
        ],
        carrier: null,
      },
    })
    expect(beyond(paced, 40)).toEqual(['1 handle of the pace'])
    expect(endOf(paced, 1)).toBe(50)
  })
})

describe('a film back', () => {
  it('is the server’s', () => {
    for (const { photo, mm } of cases.backs)
      expect(millimetresAPixel(photo as Parameters<typeof millimetresAPixel>[0])).toBeCloseTo(mm, 10)
  })
  it('is what a photo takes of it', () => {
    expect(backOf({ width: 6000, height: 3375, film_back_mm: [36, 24] })).toEqual([36, 20.25])
    expect(FORMATS.every(([, [w, h]]) => w > h)).toBe(true)
  })
})
