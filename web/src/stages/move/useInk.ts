/** What is drawn over the lens view, by the engine and never while playing: verdicts, or which plate gives a pixel. */
import { computed, ref, watch, type Ref } from 'vue'
import { drawPlates, drawVerdicts } from '../../board/verdicts'
import { latest } from '../../api/client'
import { useMove } from './move'

export function useInk(ink: Ref<HTMLCanvasElement | null | undefined>, width: () => number, seen: () => boolean) {
  const { s, hand, overlay, giving, playing } = useMove()
  const current = ref('')
  const what = computed(() => (overlay.value ? 'verdicts' : giving.value ? 'plates' : null))
  const mark = computed(() => `${s.state?.revision}:${s.frame}:${what.value}`)
  const fetchInk = latest(
    async (frame: number, what: 'verdicts' | 'plates', w: number, mark: string) => {
      const response = await fetch(`/api/shots/${s.id}/frames/${frame}/${what}?width=${w}`)
      const bitmap = response.ok
        ? await createImageBitmap(await response.blob(), { colorSpaceConversion: 'none' })
        : null
      return { bitmap, what, mark }
    },
    (got) => {
      if (!got.bitmap || !ink.value) return
      if (got.what === 'verdicts') drawVerdicts(got.bitmap, ink.value)
      else drawPlates(got.bitmap, ink.value)
      current.value = got.mark
    },
  )
  watch(
    [mark, playing, width, seen],
    () => {
      if (what.value && !playing.value && seen()) fetchInk(s.frame, what.value, width(), mark.value)
    },
    { immediate: true },
  )
  watch(overlay, (on) => on && (giving.value = false))
  watch(giving, (on) => on && (overlay.value = false))
  return { inked: computed(() => !!what.value && !playing.value && !hand.value && current.value === mark.value) }
}
