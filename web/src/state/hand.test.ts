/** What the hand has done: shown at once, sent in order, taken back whether sent or not. */
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import type { Shot } from '../api/client'
import { held } from '../hand/held'
import { Dropped, Order } from '../hand/order'
import { useHand, type Apply } from './hand'

const named = (name: string) => ({ name }) as Shot
/** Adds a letter to the shot's name: what has been done, and in which order. */
const letter =
  (of: string): Apply =>
  (shot) => ({ ...shot, name: shot.name + of })

/** A server that answers when it is told to; it holds the name that the answered letters make up. */
function server() {
  const asked: { what: string; answer: () => void; refuse: () => void }[] = []
  let name = ''
  const send = (what: string) => () =>
    new Promise<string>((done, failed) => {
      asked.push({
        what,
        answer: () => {
          if (what === 'undo') name = name.slice(0, -1)
          else name += what
          done(name)
        },
        refuse: () => failed(new Error(`no ${what}`)),
      })
    })
  return { asked, send, has: () => name }
}

let hand: ReturnType<typeof useHand>
let there: ReturnType<typeof server>
let kept = ''
const answered = (name: string) => void (kept = name)
const shows = () => hand.shown(named(kept)).name
const type = (of: string) =>
  hand.asked(there.send(of), answered, { apply: letter(of) }).catch((error: Error) => error.constructor.name)
const undo = () =>
  hand.undo((wanted) => hand.asked(async () => (wanted() ? there.send('undo')() : null), answered, { step: true }))
const redo = () => hand.redo(() => hand.asked(there.send('redo'), answered, { step: true }))
const rest = () => new Promise((done) => setTimeout(done))
async function answerAll() {
  await rest()
  for (let next = there.asked.shift(); next; next = there.asked.shift()) {
    next.answer()
    await rest()
  }
}

beforeEach(() => {
  setActivePinia(createPinia())
  effectScope().run(() => (hand = useHand()))
  there = server()
  kept = ''
})

describe('what is done', () => {
  it('is shown at once, and goes out one after another', async () => {
    void type('a')
    void type('b')
    void type('c')
    expect(shows()).toBe('abc')
    await rest()
    expect(there.asked.map((x) => x.what)).toEqual(['a'])
    there.asked.shift()!.answer()
    await rest()
    expect(kept).toBe('a')
    expect(shows()).toBe('abc') // one answered, two on top of it
    expect(there.asked.map((x) => x.what)).toEqual(['b'])
    await answerAll()
    expect([kept, shows()]).toEqual(['abc', 'abc'])
  })
  it('goes from the screen when it is refused, and what comes after it counts', async () => {
    const first = type('a')
    void type('b')
    await rest()
    there.asked.shift()!.refuse()
    expect(await first).toBe('Error')
    expect(shows()).toBe('b')
    await answerAll()
    expect(kept).toBe('b')
  })
  it('does not wait for what is brought aside', async () => {
    void hand.asked(there.send('photo'), () => undefined, { aside: true })
    void type('a')
    await rest()
    expect(there.asked.map((x) => x.what)).toEqual(['photo', 'a'])
  })
})

describe('undo', () => {
  it('takes back what has not been sent, without sending anything', async () => {
    void type('a')
    const second = type('b')
    await undo()
    expect(await second).toBe('Dropped')
    expect(shows()).toBe('a')
    await answerAll()
    expect(there.has()).toBe('a')
  })
  it('of what is under way is shown at once, and sent after it', async () => {
    void type('a')
    await rest()
    const done = undo()
    expect(shows()).toBe('')
    await rest()
    there.asked.shift()!.answer()
    await rest()
    expect(shows()).toBe('') // the answer to what was taken back is not shown once more
    await answerAll()
    await done
    expect([there.has(), kept, shows()]).toEqual(['', '', ''])
  })
  it('of what the server refuses is no undo of something earlier', async () => {
    void type('a')
    await answerAll()
    void type('b')
    await rest()
    const done = undo()
    there.asked.shift()!.refuse()
    await done
    await answerAll()
    expect([there.has(), shows()]).toEqual(['a', 'a'])
  })
  it('pressed often undoes as often, first what waits, then what was sent', async () => {
    for (const x of 'abcd') void type(x)
    await rest()
    void undo()
    void undo()
    void undo()
    void undo()
    expect(shows()).toBe('')
    await answerAll()
    expect(there.has()).toBe('')
  })
  it('reaches what was there before this page', async () => {
    kept = 'xy'
    void undo()
    await rest()
    expect(there.asked.map((x) => x.what)).toEqual(['undo'])
  })
})

describe('redo', () => {
  it('brings back what had not been sent, and it can be undone again', async () => {
    void type('a')
    void type('b')
    await undo()
    void redo()
    expect(shows()).toBe('ab')
    await undo()
    expect(shows()).toBe('a')
    void redo()
    await answerAll()
    expect(there.has()).toBe('ab')
  })
  it('asks the server for what the server has undone', async () => {
    void type('a')
    await answerAll()
    void undo()
    await answerAll()
    void redo()
    await rest()
    expect(there.asked.map((x) => x.what)).toEqual(['redo'])
  })
  it('is forgotten by a new change', async () => {
    void type('a')
    void type('b')
    await undo()
    void type('c')
    void redo()
    await rest()
    await answerAll()
    expect(there.has().replace('redo', '')).toBe('ac')
  })
})

describe('what is held back', () => {
  it('is sent before anything else that the hand does', async () => {
    const wheel = held(() => void type('w'), 10_000)
    wheel.again()
    expect(shows()).toBe('')
    void type('a')
    expect(shows()).toBe('wa')
    await answerAll()
    expect(there.has()).toBe('wa')
  })
  it('is what undo takes back', async () => {
    void type('a')
    await answerAll()
    held(() => void type('w'), 10_000).again()
    void undo()
    await answerAll()
    expect(there.has()).toBe('a')
  })
  it('is sent by itself after a rest, once', async () => {
    vi.useFakeTimers()
    const sent = vi.fn()
    const wheel = held(sent, 300)
    wheel.again()
    vi.advanceTimersByTime(200)
    wheel.again()
    vi.advanceTimersByTime(200)
    expect(sent).not.toHaveBeenCalled()
    vi.advanceTimersByTime(200)
    wheel.now()
    expect(sent).toHaveBeenCalledTimes(1)
    wheel.again()
    wheel.drop()
    vi.advanceTimersByTime(1000)
    expect(sent).toHaveBeenCalledTimes(1)
    vi.useRealTimers()
  })
})

describe('the order of changes', () => {
  it('sends all that waits when the page goes', async () => {
    const order = new Order()
    const sent: string[] = []
    const never = () => new Promise<void>(() => undefined)
    void order.add({}, () => (sent.push('a'), never()))
    void order.add({}, () => (sent.push('b'), never()))
    void order.add({}, () => (sent.push('c'), never()))
    await rest()
    expect(sent).toEqual(['a'])
    order.sendAll()
    expect(sent).toEqual(['a', 'b', 'c'])
  })
  it('drops nothing that has been sent', async () => {
    const order = new Order()
    const [one, two] = [{}, {}]
    const first = order.add(one, () => Promise.resolve('a'))
    const second = order.add(two, () => Promise.resolve('b')).catch((error: unknown) => error)
    expect([order.drop(one), order.drop(two), order.drop(two)]).toEqual([false, true, false])
    expect(await first).toBe('a')
    expect(await second).toBeInstanceOf(Dropped)
  })
})

it('random hands end with what a plain list of them says', async () => {
  let seed = 3
  const random = (n: number) => Math.floor(((seed = (seed * 16807) % 2147483647) / 2147483647) * n)
  for (let play = 0; play < 200; play++) {
    effectScope().run(() => (hand = useHand()))
    there = server()
    kept = ''
    let model = '' // undo takes the last letter, refused or not yet sent, as it is on the screen
    const refused = new Set<string>()
    for (let step = 0; step < 12; step++) {
      const what = random(5)
      if (what < 2) {
        const x = 'abcdefghijklmnop'[step]
        void type(x)
        model += x
      } else if (what === 2 && model) {
        void undo()
        model = model.slice(0, -1)
      } else if (there.asked.length) {
        const one = there.asked.shift()!
        if (what === 3 || one.what === 'undo' || !model.includes(one.what)) one.answer()
        else {
          one.refuse()
          refused.add(one.what)
          model = model.replace(one.what, '')
        }
        await rest()
      }
      // what is typed is shown at once; what is undone as well, unless the server had it: then with its answer
      if (what < 2) expect(shows().endsWith('abcdefghijklmnop'[step])).toBe(true)
      if (!kept) expect(shows()).toBe(model)
    }
    await answerAll()
    expect([there.has(), kept, shows()]).toEqual([model, model, model])
  }
})
