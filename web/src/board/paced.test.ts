import { beforeEach, expect, test, vi } from 'vitest'
import type { Quality } from './paced'

/** A graphics card that takes `plain` (for all pixels) or `full` ms, and a screen that is drawn every 10 ms. */
class Machine {
  now = 0
  drawn: (Quality & { at: number })[] = []
  private due: (() => void) | null = null
  private ready = 0
  SIGNALED = 1
  SYNC_STATUS = 2
  SYNC_GPU_COMMANDS_COMPLETE = 3

  constructor(
    private plain: number,
    private full: number,
  ) {
    vi.stubGlobal('performance', { now: () => this.now })
    vi.stubGlobal('requestAnimationFrame', (f: () => void) => ((this.due = f), 1))
    vi.stubGlobal('cancelAnimationFrame', () => (this.due = null))
  }
  draw = (quality: Quality) => {
    this.drawn.push({ ...quality, at: this.now })
    this.ready = this.now + (quality.fully ? this.full : this.plain * quality.share ** 2)
  }
  fenceSync = () => ({})
  deleteSync() {}
  flush() {}
  isContextLost = () => false
  getSyncParameter = () => (this.now >= this.ready ? this.SIGNALED : 0)

  /** Time goes by; `each` screen something may happen. */
  passes(ms: number, each = () => {}) {
    for (const end = this.now + ms; this.now < end;) {
      this.now += 10
      each()
      const turn = this.due
      this.due = null
      turn?.()
    }
  }
}
async function paced(plain: number, full: number) {
  const { Paced } = await import('./paced')
  const machine = new Machine(plain, full)
  return { machine, pace: new Paced(machine as unknown as WebGL2RenderingContext, machine.draw) }
}
beforeEach(() => void vi.resetModules())

test('on a slow machine a view is drawn plainly while it changes, and fully once it rests', async () => {
  const { machine, pace } = await paced(480, 700)
  machine.passes(1000, () => pace.ask())
  expect(machine.drawn.length).toBeGreaterThan(5)
  expect(machine.drawn.length).toBeLessThan(12) // it had been asked a hundred times
  expect(machine.drawn.some((d) => d.fully)).toBe(false)
  expect(machine.drawn[0].share).toBe(1)
  expect(machine.drawn.at(-1)!.share).toBe(0.35) // a plain picture takes long as well
  machine.passes(3000)
  expect(machine.drawn.filter((d) => d.fully)).toEqual([{ fully: true, share: 1, at: expect.any(Number) }])
  expect(machine.drawn.at(-1)!.fully).toBe(true)
})

test('many layers on a slow machine are drawn ever smaller, and finer again when it has time', async () => {
  const { machine, pace } = await paced(900, 4000)
  machine.passes(3000, () => pace.ask())
  expect([...new Set(machine.drawn.map((d) => d.share))]).toEqual([1, 0.5, 0.35, 0.25])
  expect(machine.drawn.at(-1)!.share).toBe(0.25)
  Object.assign(machine, { plain: 8 })
  machine.passes(1000, () => pace.ask())
  expect(machine.drawn.at(-1)!.share).toBe(1)
})

test('what is drawn last is what was asked last', async () => {
  const { machine, pace } = await paced(100, 700)
  pace.ask()
  machine.passes(3000)
  const before = machine.drawn.length
  pace.ask()
  machine.passes(20)
  pace.ask() // while the first one is drawn
  machine.passes(3000)
  expect(machine.drawn.slice(before).map((d) => d.fully)).toEqual([false, false, true])
})

test('on a quick machine every picture is full', async () => {
  const { machine, pace } = await paced(2, 5)
  pace.ask()
  machine.passes(500) // it is not known at first
  const before = machine.drawn.length
  machine.passes(300, () => pace.ask())
  const after = machine.drawn.slice(before)
  expect(after.length).toBeGreaterThan(14)
  expect(after.every((d) => d.fully && d.share === 1)).toBe(true)
})

test('a machine that was busy once is quick again', async () => {
  const { machine, pace } = await paced(2, 5)
  Object.assign(machine, { full: 400 })
  pace.ask()
  machine.passes(1500)
  Object.assign(machine, { full: 5 })
  pace.ask()
  machine.passes(1500)
  const before = machine.drawn.length
  pace.ask()
  machine.passes(50)
  expect(machine.drawn.slice(before).map((d) => d.fully)).toEqual([true])
})

test('nothing is drawn once it is stopped', async () => {
  const { machine, pace } = await paced(100, 700)
  pace.ask()
  machine.passes(50)
  pace.stop()
  machine.passes(5000)
  expect(machine.drawn).toHaveLength(1)
})
