/** Enlarging about the pointer and shifting, for a picture on a board. Screen = offset + scale × picture. */
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, reactive, ref, watch, type Ref } from 'vue'
import type { Vec2 } from '../api/client'
import { begin } from '../hand/gesture'
import { ownOf, typing, useKeys } from '../hand/keys'

/** `area`: of the picture that is fitted into the host, x0, y0, x1, y1. */
export function usePanZoom(
  host: Ref<HTMLElement | undefined>,
  area: () => [number, number, number, number],
  margin = 22,
) {
  const { width, height } = useElementSize(host)
  const at = reactive({ scale: 0.1, x: 0, y: 0 })
  const touched = ref(false)
  const space = ref(false)
  const shifting = ref(false)

  function fit() {
    const [x0, y0, x1, y1] = area()
    const [w, h] = [x1 - x0, y1 - y0]
    if (!width.value || !height.value || !w || !h) return
    const pad = Math.min(margin, width.value / 20)
    at.scale = Math.min((width.value - 2 * pad) / w, (height.value - 2 * pad) / h)
    at.x = (width.value - w * at.scale) / 2 - x0 * at.scale
    at.y = (height.value - h * at.scale) / 2 - y0 * at.scale
    touched.value = false
  }
  watch(
    [width, height, () => area().join()],
    () => {
      if (!touched.value) fit()
    },
    { immediate: true },
  )

  function pointer(event: { clientX: number; clientY: number }): Vec2 {
    const box = host.value!.getBoundingClientRect()
    return [event.clientX - box.left, event.clientY - box.top]
  }
  const toPicture = ([x, y]: Vec2): Vec2 => [(x - at.x) / at.scale, (y - at.y) / at.scale]
  const toScreen = ([x, y]: Vec2): Vec2 => [at.x + x * at.scale, at.y + y * at.scale]

  useEventListener(
    host,
    'wheel',
    (event: WheelEvent) => {
      if (event.defaultPrevented) return
      event.preventDefault()
      const [x, y] = pointer(event)
      const factor = Math.exp(-event.deltaY * 0.0016)
      const next = Math.min(Math.max(at.scale * factor, 0.005), 60)
      const k = next / at.scale
      at.x = x - k * (x - at.x)
      at.y = y - k * (y - at.y)
      at.scale = next
      touched.value = true
    },
    { passive: false },
  )

  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    if (event.code !== 'Space' || typing(event.target) || ownOf(event.target, 'space')) return
    space.value = true
    event.preventDefault()
  })
  useKeys('everywhere', { fit })
  useEventListener(window, 'keyup', (event: KeyboardEvent) => {
    if (event.code === 'Space') space.value = false
  })

  useEventListener(
    host,
    'pointerdown',
    (event: PointerEvent) => {
      if (!(event.button === 1 || (event.button === 0 && space.value))) return
      event.preventDefault()
      event.stopImmediatePropagation()
      shifting.value = true
      const from = { x: event.clientX - at.x, y: event.clientY - at.y }
      const was = { x: at.x, y: at.y }
      begin(event, host.value!, {
        move: (e) => {
          at.x = e.clientX - from.x
          at.y = e.clientY - from.y
          touched.value = true
        },
        finish: () => (shifting.value = false),
        giveUp: () => {
          Object.assign(at, was)
          shifting.value = false
        },
      })
    },
    { capture: true },
  )

  const transform = computed(() => `translate(${at.x}px, ${at.y}px) scale(${at.scale})`)
  return { at, fit, pointer, toPicture, toScreen, transform, space, shifting, width, height, touched }
}

export type PanZoom = ReturnType<typeof usePanZoom>
