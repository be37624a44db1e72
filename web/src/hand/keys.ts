/**
 * The one map of keys. What a key does is said here once: the sheet of keys is made from it, and a board gives what is
 * done. A letter never fires while text is typed, and always otherwise; a key that means something to the control that
 * has the focus is left to it.
 */
import { useEventListener } from '@vueuse/core'

export interface Key {
  /** As KeyboardEvent.key has it, in lower case; several are separated by a space, the space bar is `space`. */
  key: string
  says: string
  /** How the sheet writes it, where that is not the key itself. */
  as?: string
  ctrl?: boolean
  alt?: boolean
  shift?: boolean
}
type Keys = Record<string, Key>

export const KEYS = {
  everywhere: {
    stage: { key: '1 2 3 4 5 6', alt: true, as: 'Alt 1 … 6', says: 'go to a stage' },
    undo: { key: 'z', ctrl: true, as: 'Ctrl Z', says: 'undo' },
    redo: { key: 'z', ctrl: true, shift: true, as: 'Ctrl Shift Z', says: 'redo' },
    fit: { key: '0', says: 'fit the picture' },
    cursor: { key: 'k', says: 'a cursor over the picture, moved by the arrows; or put it away' },
    sheet: { key: '?', says: 'this sheet' },
  },
  survey: {
    run: { key: 'r', says: 'trace Run' },
    return: { key: 'e', says: 'trace Return' },
    rise: { key: 'u', says: 'trace Rise' },
    second: { key: 'a', says: 'trace a second run, level and at an odd angle' },
    straight: { key: 's', says: 'trace a straight edge of no direction' },
    find: { key: 'f', says: 'find edges' },
    split: { key: 'x', says: 'split the chosen edge at the pointer' },
    tape: { key: 't', says: 'lay a tape' },
    datum: { key: 'o', says: 'set the datum' },
    point: { key: 'p', says: 'a shared point' },
    measure: { key: 'm', says: 'measure on the grid’s plane' },
    horizon: { key: 'h', says: 'a horizon that is seen' },
    remove: { key: 'delete backspace', as: 'Delete', says: 'remove what is chosen' },
    giveUp: { key: 'escape', as: 'Escape', says: 'give up what is begun' },
  },
  massing: {
    copy: { key: 'd', ctrl: true, as: 'Ctrl D', says: 'copy the chosen pieces, 1 m along Run' },
    close: { key: 'enter', as: 'Enter', says: 'close an outline' },
    remove: { key: 'delete backspace', as: 'Delete', says: 'remove what is chosen' },
    giveUp: { key: 'escape', as: 'Escape', says: 'give up what is begun' },
  },
  plates: {
    close: { key: 'enter', as: 'Enter', says: 'close the outline' },
    back: { key: 'backspace', as: 'Backspace', says: 'take the last point back' },
    point: { key: 'delete', as: 'Delete', says: 'take out the outline’s point under the pointer' },
    smooth: { key: 's', says: 'the outline’s point in hand, or under the pointer, smooth or sharp' },
    smaller: { key: ',', says: 'a smaller brush' },
    larger: { key: '.', says: 'a larger brush' },
    softer: { key: '<', shift: true, as: 'Shift ,', says: 'a softer brush' },
    harder: { key: '>', shift: true, as: 'Shift .', says: 'a harder brush' },
    onPhoto: { key: 'q', says: 'the plate on the photo' },
    onGrey: { key: 'g', says: 'the plate on grey' },
    onBlack: { key: 'b', says: 'the plate on black' },
    onWhite: { key: 'w', says: 'the plate on white' },
    matte: { key: 'm', says: 'the matte alone' },
    inSet: { key: 'i', says: 'the plate in the set, from the worst frame of the move' },
    giveUp: { key: 'escape', as: 'Escape', says: 'give up the outline, the pick or the source' },
  },
  strip: {
    play: { key: 'space', as: 'Space', says: 'play or pause' },
    before: { key: 'arrowleft', as: 'Left', says: 'one frame back' },
    after: { key: 'arrowright', as: 'Right', says: 'one frame on' },
    home: { key: 'h', says: 'go to the home key’s frame' },
  },
  move: {
    verdicts: { key: 'v', says: 'verdicts over the lens view' },
    giveUp: { key: 'escape', as: 'Escape', says: 'put the camera in hand back' },
  },
} satisfies Record<string, Keys>
export type Where = keyof typeof KEYS

/** How a sheet writes a key. */
export const written = (key: Key) => key.as ?? key.key.toUpperCase()

const TEXT = ['text', 'search', 'number', 'email', 'url', 'password', 'tel']
/** Whether text is typed at an element. */
export function typing(at: EventTarget | null): boolean {
  if (!(at instanceof HTMLElement)) return false
  if (at.isContentEditable || at.tagName === 'TEXTAREA') return true
  return at.tagName === 'INPUT' && TEXT.includes((at as HTMLInputElement).type)
}
/** Keys by which the control that has the focus is used: they are its own. */
const OWN: [selector: string, keys: string[]][] = [
  ['button, summary, a[href], [role=button], [role=tab]', ['enter', 'space']],
  ['input[type=checkbox], [role=switch], [role=checkbox]', ['space']],
  ['input[type=radio]', ['space', 'arrowleft', 'arrowright', 'arrowup', 'arrowdown']],
  ['select, [role=combobox], [role=listbox], [role=option]', ['enter', 'space', 'arrowup', 'arrowdown']],
  ['input[type=range], [role=slider]', ['arrowleft', 'arrowright', 'arrowup', 'arrowdown']],
  ['tr[tabindex], [role=row]', ['enter', 'space', 'arrowup', 'arrowdown']],
]
export function ownOf(at: EventTarget | null, key: string): boolean {
  return at instanceof HTMLElement && OWN.some(([selector, keys]) => keys.includes(key) && at.matches(selector))
}

/** What a key event is called in the map. */
export const nameOf = (event: { key: string }) => (event.key === ' ' ? 'space' : event.key.toLowerCase())

/** Whether a key of the map is meant by an event. */
export function means(key: Key, event: KeyboardEvent): boolean {
  if (!key.key.split(' ').includes(nameOf(event))) return false
  if (!!key.ctrl !== (event.ctrlKey || event.metaKey) || !!key.alt !== event.altKey) return false
  return !key.ctrl || !!key.shift === event.shiftKey
}

/** Whether a field of ours holds text that has not been sent: Ctrl Z undoes that first. */
const unsent = (at: EventTarget | null) => !(at instanceof HTMLElement) || at.dataset.typing !== undefined

type Act = (event: KeyboardEvent) => void
/** Listen to the keys of a place while its component is there. `more`: keys that it has besides those of the map. */
export function useKeys<W extends Where>(
  where: W,
  does: Partial<Record<keyof (typeof KEYS)[W], Act>>,
  more: () => { key: Key; act: Act }[] = () => [],
) {
  const mapped = Object.entries(KEYS[where] as Keys).flatMap(([id, key]) => {
    const act = does[id as keyof typeof does]
    return act ? [{ key, act }] : []
  })
  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    if (event.defaultPrevented || event.isComposing) return
    const meant = [...mapped, ...more()].find(({ key }) => means(key, event))
    if (!meant) return
    const { key, act } = meant
    if (typing(event.target) && !key.alt && !(key.key === 'z' && key.ctrl && !unsent(event.target))) return
    if (ownOf(event.target, nameOf(event))) return
    if (key.ctrl || key.alt || key.key === 'space') event.preventDefault()
    act(event)
  })
}
