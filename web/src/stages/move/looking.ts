/** Looking for standing room: asked anew a moment after what it depends on has changed, older answers dropped. */
import { onBeforeUnmount, watch, type Ref } from 'vue'
import type { Room } from './room'

const REST = 180 // ms that what is asked about is left alone before it is

/** Standing room of a frame; a sentence where there is none to be told, null where it was given up. */
export async function standingOf(
  shot: string,
  frame: number,
  query: Record<string, number | boolean>,
  signal: AbortSignal,
): Promise<Room | string | null> {
  const asked = new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)]))
  const response = await fetch(`/api/shots/${shot}/frames/${frame}/standing?${asked}`, { signal }).catch(() => null)
  // it may be given up while it comes
  const told = (await response?.json().catch(() => null)) as (Room & { detail?: string }) | null
  if (signal.aborted || !response || (response.ok && !told)) return null
  return response.ok ? told : (told?.detail ?? 'It could not be looked for.')
}

/** Look whenever what is asked has rested; the signal says that it is not wanted any more. */
export function useLooking(asked: Ref<string>, look: (signal: AbortSignal) => Promise<void>) {
  let stop = new AbortController()
  let timer = 0
  watch(
    asked,
    () => {
      window.clearTimeout(timer)
      timer = window.setTimeout(() => {
        stop.abort()
        stop = new AbortController()
        void look(stop.signal)
      }, REST)
    },
    { immediate: true },
  )
  onBeforeUnmount(() => {
    window.clearTimeout(timer)
    stop.abort()
  })
}
