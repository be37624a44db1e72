/**
 * A gesture of the pointer: begun by a press, then moved, and finished by letting go, or given up. Given up is whatever
 * is not meant: the pointer taken away by the system, Escape, another window, a button that is no longer held. Only
 * the pointer that began a gesture can go on with it; nothing that a server answers can.
 */
export interface Gesture {
  move?: (event: PointerEvent) => void
  finish: (event: PointerEvent) => void
  /** Put everything back. */
  giveUp: () => void
}

let inHand: (() => void) | null = null

/** Whether a gesture is under way. */
export const gesturing = () => inHand !== null

/** Give up what is in hand, if anything is; whether something was. */
export function giveUpGesture(): boolean {
  const end = inHand
  end?.()
  return end !== null
}

/** Begin a gesture by a press on an element, which captures the pointer. Another one that is in hand is given up. */
export function begin(press: PointerEvent, host: Element, on: Gesture): void {
  giveUpGesture()
  const mine = (event: Event) => (event as PointerEvent).pointerId === press.pointerId
  const ends = new AbortController()
  const end = () => {
    ends.abort()
    inHand = null
    if (host.hasPointerCapture(press.pointerId)) host.releasePointerCapture(press.pointerId)
  }
  const giveUp = () => {
    end()
    on.giveUp()
  }
  const hear = (kind: string, does: (event: Event) => void, target: EventTarget = window, capture = true) =>
    target.addEventListener(kind, does, { signal: ends.signal, capture })
  inHand = giveUp
  try {
    host.setPointerCapture(press.pointerId)
  } catch {
    // a press that a program made up has no pointer to be captured
  }
  hear('pointermove', (event) => {
    if (!mine(event)) return
    const pointer = event as PointerEvent
    if (pointer.buttons & 7) on.move?.(pointer)
    else giveUp() // let go of where nobody told
  })
  hear('pointerup', (event) => {
    if (!mine(event)) return
    end()
    on.finish(event as PointerEvent)
  })
  hear('pointercancel', (event) => mine(event) && giveUp())
  hear('lostpointercapture', (event) => mine(event) && giveUp(), host)
  hear('blur', (event) => event.target === window && giveUp())
  hear('dragstart', (event) => event.preventDefault()) // the browser would take what is marked for itself
  hear('keydown', (event) => {
    if ((event as KeyboardEvent).key !== 'Escape') return
    event.stopImmediatePropagation() // what else Escape means is meant for when nothing is in hand
    event.preventDefault()
    giveUp()
  })
}
