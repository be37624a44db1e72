/**
 * Input that is held back for a moment, as a wheel's turns are until it rests. Whatever else the hand does comes after
 * it: it is sent before another change, undo, another frame or stage, and before the page goes.
 */
const waiting = new Set<() => void>()

export function held(send: () => void, ms: number) {
  let timer: ReturnType<typeof setTimeout> | undefined
  const now = () => {
    clearTimeout(timer)
    if (waiting.delete(now)) send()
  }
  return {
    /** Hold on for a moment more. */
    again() {
      clearTimeout(timer)
      timer = setTimeout(now, ms)
      waiting.add(now)
    },
    /** Forget it. */
    drop() {
      clearTimeout(timer)
      waiting.delete(now)
    },
    now,
  }
}

/** End typing: what has been typed is sent. */
function sendTyped() {
  const at = (globalThis.document as Document | undefined)?.activeElement as HTMLElement | null | undefined
  if (at?.dataset?.typing !== undefined) at.blur()
}

/** Send all that is held back; what is being typed as well. */
export function sendHeld() {
  sendTyped()
  for (const now of [...waiting]) now()
}

// a press elsewhere ends typing before it does anything itself: what was typed was meant for what was chosen then
if (typeof window !== 'undefined')
  window.addEventListener(
    'pointerdown',
    (event) => {
      if (event.target !== document.activeElement) sendTyped()
    },
    { capture: true },
  )
