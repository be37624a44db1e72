/**
 * The focus never goes to nowhere. When what has it is taken away (a row removed, a button that has done its work, a
 * sheet that closes), it goes to what stands in its place: the next of its kind nearest by.
 */
import { typing } from './keys'

const ABLE = ['a[href]', 'summary', '[tabindex]']
  .concat(['button', 'input', 'select', 'textarea'].map((tag) => `${tag}:not(:disabled)`))
  .join()

interface Place {
  at: HTMLElement
  /** What it stood in, from near to far, and the how-manieth of its kind it was in each. */
  around: { host: HTMLElement; index: number }[]
}

const seen = (element: HTMLElement) => element.tabIndex >= 0 && element.getClientRects().length > 0
const kind = (host: HTMLElement, like: HTMLElement) =>
  [...host.querySelectorAll<HTMLElement>(ABLE)].filter((e) => e.tagName === like.tagName)

function placeOf(at: HTMLElement): Place {
  const around: Place['around'] = []
  for (let host = at.parentElement; host && host !== document.body; host = host.parentElement)
    around.push({ host, index: kind(host, at).indexOf(at) })
  return { at, around }
}

/** Who has the focus next, after what stood at a place. A field only after a field: keys are not to end up as text. */
function after({ at, around }: Place): HTMLElement | null {
  for (const { host, index } of around) {
    if (!host.isConnected) continue
    const same = kind(host, at)
    const next = same.slice(Math.max(index, 0)).find(seen) ?? same.slice(0, Math.max(index, 0)).reverse().find(seen)
    const other = () => [...host.querySelectorAll<HTMLElement>(ABLE)].find((e) => seen(e) && !typing(e))
    const found = next ?? other()
    if (found) return found
  }
  return null
}

/** Watch over the focus; the end of it is what is given back. */
export function keepFocus(): () => void {
  let place: Place | null = null
  const came = (event: FocusEvent) => {
    if (event.target instanceof HTMLElement) place = placeOf(event.target)
  }
  /** Whoever presses where nothing takes the focus means it to go. */
  const away = (event: PointerEvent) => {
    if (!(event.target as Element | null)?.closest?.(ABLE)) place = null
  }
  const look = () => {
    if (!place || document.activeElement !== document.body) return
    const gone = !place.at.isConnected || place.at.matches(':disabled') || !seen(place.at)
    const next = gone ? after(place) : null
    if (next && next !== place.at) next.focus({ preventScroll: true })
  }
  const watcher = new MutationObserver(look)
  watcher.observe(document.body, { subtree: true, childList: true, attributes: true, attributeFilter: ['disabled'] })
  document.addEventListener('focusin', came)
  document.addEventListener('pointerdown', away, { capture: true })
  return () => {
    watcher.disconnect()
    document.removeEventListener('focusin', came)
    document.removeEventListener('pointerdown', away, { capture: true })
  }
}
