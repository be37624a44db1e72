import { describe, expect, it } from 'vitest'
import { ahead, Running, type Film } from './running'

const FILM: Film = { plate: 'film', key: 'a' }

/** Pictures that come when they are let go, in any order. */
function slow() {
  const asked: { name: string; come: (ok?: boolean) => Promise<void> }[] = []
  const closed: string[] = []
  const get = (film: Film, frame: number) =>
    new Promise<ImageBitmap>((done, fail) => {
      const name = `${film.key}${frame}`
      const picture = { close: () => closed.push(name), name } as unknown as ImageBitmap
      asked.push({
        name,
        come: async (ok = true) => {
          if (ok) done(picture)
          else fail(new Error('gone'))
          await new Promise((r) => setTimeout(r))
        },
      })
    })
  return { asked, closed, get, names: () => asked.map((a) => a.name) }
}

describe('pictures of videos', () => {
  it('wants what is shown first, then what follows, round again after the last frame', () => {
    expect(ahead(1008, 4, 1001, 1010)).toEqual([1008, 1009, 1010, 1001, 1002])
    expect(ahead(1001, 90, 1001, 1003)).toEqual([1001, 1002, 1003])
  })

  it('asks for three at once, and for those that were wanted last', async () => {
    const { asked, get, names } = slow()
    let came = 0
    const running = new Running(get, () => came++)
    running.want([FILM], [1, 2, 3, 4, 5])
    expect(names()).toEqual(['a1', 'a2', 'a3'])
    running.want([FILM], [9, 2])
    await asked[0].come()
    expect(names()).toEqual(['a1', 'a2', 'a3', 'a9'])
    expect(running.at(FILM, 1)).not.toBeNull()
    expect(running.at(FILM, 4)).toBeNull()
    expect(came).toBe(1)
  })

  it('asks no more for what is there, is under way or has failed', async () => {
    const { asked, get, names } = slow()
    const running = new Running(get, () => {})
    running.want([FILM], [1, 2])
    await asked[0].come(false)
    await asked[1].come()
    running.want([FILM], [1, 2])
    expect(names()).toEqual(['a1', 'a2'])
    running.want([{ ...FILM, key: 'b' }], [1])
    expect(names()).toEqual(['a1', 'a2', 'b1'])
  })

  it('lets go of those that were looked at longest ago', async () => {
    const { asked, closed, get } = slow()
    const running = new Running(get, () => {})
    for (let frame = 0; frame < 202; frame++) {
      running.want([FILM], [frame])
      if (frame === 200) running.at(FILM, 0)
      await asked[frame].come()
    }
    expect(closed).toEqual(['a1', 'a2'])
    running.clear()
    expect(closed.length).toBe(202)
  })
})
