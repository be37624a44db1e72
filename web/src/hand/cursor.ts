/**
 * A pointer for hands that use no mouse: moved by the arrows over whatever board it stands on, it presses, drags and
 * lets go as a pointer does, by the same events. So whatever a board can do with a pointer can be done by keys.
 */
import { computed, reactive } from 'vue'
import { gesturing, giveUpGesture } from './gesture'

const ID = 70_001 // no device has it
/** How far an arrow goes, in pixels of the screen; with Ctrl one pixel of the picture, with Shift a tenth of one. */
const STEP = 8
/** A notch of the wheel. */
const NOTCH = 100
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
interface Mods {
  shiftKey: boolean
  altKey: boolean
  ctrlKey: boolean
}
const NONE: Mods = { shiftKey: false, altKey: false, ctrlKey: false }

const at = reactive({ x: 0, y: 0, on: false, held: false })
let board: HTMLElement | null = null
let pressed: Mods = NONE // what was held with the press is held until it is let go

/** The boards that are to be seen, in their order. */
const boards = () =>
  [...document.querySelectorAll<HTMLElement>('[data-board]')].filter((b) => b.getBoundingClientRect().width > 0)

function clamp() {
  const box = board!.getBoundingClientRect()
  at.x = Math.min(Math.max(at.x, box.left + 1), box.right - 1)
  at.y = Math.min(Math.max(at.y, box.top + 1), box.bottom - 1)
}
/** What the cursor stands on: of the board, not what lies over it. */
function under(): Element {
  const found = document.elementFromPoint?.(at.x, at.y)
  return found && board!.contains(found) ? found : board!
}
function tell(kind: string, mods: Mods, target: Element) {
  const made = { bubbles: true, cancelable: true, composed: true, clientX: at.x, clientY: at.y, ...mods }
  const buttons = at.held ? 1 : 0
  target.dispatchEvent(
    kind === 'click'
      ? new MouseEvent(kind, made)
      : new PointerEvent(kind, {
          ...made,
          pointerId: ID,
          pointerType: 'mouse',
          isPrimary: true,
          buttons,
          button: kind === 'pointermove' ? -1 : 0,
        }),
  )
}

/** Bring the cursor to a board: to its middle, or to where it stood on it. */
function bring(to: HTMLElement) {
  if (board !== to) {
    const box = to.getBoundingClientRect()
    at.x = box.left + box.width / 2
    at.y = box.top + box.height / 2
  }
  board = to
  at.on = true
  clamp()
  to.focus({ preventScroll: true })
  tell('pointermove', NONE, under())
}
/** Put it away; what it holds is given up. */
export function putAway() {
  if (!at.on) return
  if (at.held) giveUpGesture()
  at.held = false
  at.on = false
  board?.dispatchEvent(new PointerEvent('pointerleave', { pointerId: ID }))
}
/** Bring it to the board that has the focus, else the first that is seen; put it away when it is there already. */
export function toggleCursor() {
  const seen = boards()
  const wanted = seen.find((b) => b.contains(document.activeElement)) ?? seen[0]
  if (at.on) putAway()
  else if (wanted) bring(wanted)
}
function move(by: [number, number], event: KeyboardEvent) {
  const pixel = Number(board!.dataset.unit ?? 1)
  const step = event.shiftKey ? pixel / 10 : event.ctrlKey ? pixel : STEP
  at.x += by[0] * step
  at.y += by[1] * step
  clamp()
  tell('pointermove', pressed, under())
}
/** Press where it stands; pressed already, let go. */
function press(mods: Mods) {
  const target = under()
  if (at.held) {
    at.held = false
    tell('pointerup', pressed, target)
    tell('click', pressed, target)
    pressed = NONE
    return
  }
  at.held = true
  pressed = mods
  tell('pointerdown', mods, target)
}
function turnWheel(notches: number) {
  const made = { bubbles: true, cancelable: true, clientX: at.x, clientY: at.y, deltaY: notches * NOTCH }
  under().dispatchEvent(new WheelEvent('wheel', made))
}

/** A key while the cursor stands on a board that has the focus; whether it was one of the cursor's own. */
export function cursorKey(event: KeyboardEvent): boolean {
  if (!at.on || !board?.isConnected || !board.contains(document.activeElement)) return false
  if (at.held && !gesturing()) at.held = false // what was pressed took nothing in hand, or gave it up
  const by = ARROWS[event.key]
  if (by) move(by, event)
  else if (event.key === ' ') {
    if (!event.repeat) press({ shiftKey: event.shiftKey, altKey: event.altKey, ctrlKey: event.ctrlKey })
  } else if (event.key === '+' || event.key === '=') turnWheel(-1)
  else if (event.key === '-') turnWheel(1)
  else return false
  return true
}
/** The focus has gone to another board: the cursor goes along; elsewhere, it stays where it is, out of the way. */
export function cursorFollows(to: EventTarget | null) {
  if (!at.on || !(to instanceof Element)) return
  const other = to.closest<HTMLElement>('[data-board]')
  if (other && other !== board) bring(other)
}

/** Where on its picture it stands, in words, for who cannot see it. */
export const cursorWords = computed(() => {
  if (!at.on || !board) return ''
  const box = board.getBoundingClientRect()
  const sheet = board.querySelector<SVGElement>('[data-x]')?.dataset
  if (!sheet) return at.held ? 'held' : ''
  const [x, y] = [at.x - box.left - Number(sheet.x), at.y - box.top - Number(sheet.y)]
  const put = (v: number) => (v / Number(sheet.scale)).toFixed(1)
  return `${at.held ? 'held at ' : ''}${put(x)}, ${put(y)} px`
})
export const cursor = at
