/** How the key at this frame is passed, as the hand draws it: one velocity, whichever view it is drawn in. */
import { computed, shallowRef } from 'vue'
import type { Vec3 } from '../../api/client'
import { begin } from '../../hand/gesture'
import { passesElsewhere, useMove } from './move'
import { velocityAt } from './passing'

const STILL = 2 // pixels that a press may slip

export function usePassing() {
  const { s, key, cameras, setKey } = useMove()
  const held = shallowRef<Vec3 | null>(null)
  /** Metres a frame, as in hand or as the path has it; null where there is nothing to be drawn. */
  const velocity = computed<Vec3 | null>(() => {
    const k = key.value
    if (!k || s.shot.move.speed || passesElsewhere(s.shot.move) || s.keys.length < 2 || k.free?.includes('position'))
      return null
    return held.value ?? velocityAt(k, cameras.value)
  })
  /** A drag that begins with a press on a host; `at`: the velocity that a place of the pointer says. */
  function drag(event: PointerEvent, host: Element, at: (e: PointerEvent) => Vec3) {
    const k = key.value
    if (event.button !== 0 || !k) return
    event.stopPropagation()
    begin(event, host, {
      move: (e) => (held.value = at(e)),
      finish: async (e) => {
        const slipped = Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY)
        const to = (held.value = slipped < STILL ? null : at(e))
        if (to) await setKey({ home: k.home, velocity: to, speed: null, ease: null })
        if (held.value === to) held.value = null
      },
      giveUp: () => (held.value = null),
    })
  }
  return { s, key, velocity, drag }
}
