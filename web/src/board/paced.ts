/**
 * When a view is drawn, and how well: at most once for each picture of the screen, and never before the graphics card
 * has done the one before. On a machine that takes long, a view is drawn plainly while it changes, and fully once it
 * rests.
 */

/** `fully`: with the filter that agrees with the engine's; `share`: of the width and height in pixels. */
export interface Quality {
  fully: boolean
  share: number
}

const SLOW = 60 // ms for a picture; more is seen as a jerk
const EASY = 12 // ms: so much less that a finer picture is tried again
const SHARES = [1, 0.5, 0.35, 0.25] // of the width and height, while it changes: many layers on a slow machine
const REST = [250, 1500] // ms without a change: at least, and as long as a full picture takes, at most

/** What is known of this machine, from the last picture of either kind: at first that it may be slow. */
const machine = { slow: true, step: 0, rest: REST[0] }

interface Fence {
  sync: WebGLSync
  since: number
  fully: boolean
}

export class Paced {
  private asked = 0
  private owed = false
  private fully = true
  private turn = 0
  private fence: Fence | null = null

  constructor(
    private gl: WebGL2RenderingContext,
    private draw: (quality: Quality) => void,
  ) {}

  /** The view has changed. */
  ask() {
    this.owed = true
    this.fully = false
    this.asked = performance.now()
    this.next()
  }

  /** Nothing more is drawn. */
  stop() {
    cancelAnimationFrame(this.turn)
    if (this.fence) this.gl.deleteSync(this.fence.sync)
    this.fence = null
    this.owed = false
    this.fully = true
  }

  private next() {
    cancelAnimationFrame(this.turn)
    this.turn = requestAnimationFrame(() => this.due())
  }

  private due() {
    if (this.fence && !this.done(this.fence)) return this.next()
    const fully = !machine.slow || performance.now() - this.asked > machine.rest
    if (this.owed || (fully && !this.fully)) {
      this.draw({ fully, share: fully ? 1 : SHARES[machine.step] })
      this.owed = false
      this.fully = fully
      const sync = this.gl.fenceSync(this.gl.SYNC_GPU_COMMANDS_COMPLETE, 0)
      this.fence = sync && { sync, since: performance.now(), fully }
      this.gl.flush()
    }
    if (this.fence || !this.fully) this.next()
  }

  private done({ sync, since, fully }: Fence) {
    const { gl } = this
    if (!gl.isContextLost() && gl.getSyncParameter(sync, gl.SYNC_STATUS) !== gl.SIGNALED) return false
    const took = performance.now() - since
    if (fully) {
      machine.slow = took > SLOW
      machine.rest = Math.min(Math.max(took, REST[0]), REST[1])
    } else if (took > SLOW) machine.step = Math.min(machine.step + 1, SHARES.length - 1)
    else if (took < EASY) machine.step = Math.max(machine.step - 1, 0)
    gl.deleteSync(sync)
    this.fence = null
    return true
  }
}
