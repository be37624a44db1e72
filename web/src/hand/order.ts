/**
 * The order of changes: what the hand has done goes out one after another, each when the one before is answered. What
 * waits can be taken back without having been sent.
 */
export class Dropped extends Error {}

interface Waiting {
  of: object
  send: () => Promise<unknown>
  done: (answer: unknown) => void
  failed: (error: unknown) => void
}

export class Order {
  private waiting: Waiting[] = []
  private running = false

  /** Add something to be sent; `of` names it, to be dropped by. Resolves or fails as sending does. */
  add<T>(of: object, send: () => Promise<T>): Promise<T> {
    return new Promise<T>((done, failed) => {
      this.waiting.push({ of, send, done: done as (answer: unknown) => void, failed })
      void this.next()
    })
  }
  /** Take back what has not been sent; whether it was still waiting. */
  drop(of: object): boolean {
    const at = this.waiting.findIndex((w) => w.of === of)
    if (at < 0) return false
    const [gone] = this.waiting.splice(at, 1)
    gone.failed(new Dropped())
    return true
  }
  /** The page goes: all that waits is sent now, in order, without waiting for answers. */
  sendAll() {
    for (const w of this.waiting.splice(0)) void w.send().then(w.done, w.failed)
  }

  private async next(): Promise<void> {
    if (this.running) return
    this.running = true
    for (let one = this.waiting.shift(); one; one = this.waiting.shift()) {
      try {
        one.done(await one.send())
      } catch (error) {
        one.failed(error)
      }
    }
    this.running = false
  }
}
