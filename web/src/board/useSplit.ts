/** Two views divided by a bar: one above the other, or side by side where the window is wide; remembered. */
import { useElementSize, useLocalStorage } from '@vueuse/core'
import { computed, type Ref } from 'vue'

const WIDE = 1.9 // of its height: from there on the lens view is larger beside the plan than above it
const BAR = 7

/** `both`: whether both views are shown. */
export function useSplit(host: Ref<HTMLElement | undefined>, both: () => boolean) {
  const { width, height } = useElementSize(host)
  const above = useLocalStorage('roof-line-views-above', 2 / 3)
  const side = useLocalStorage('roof-line-views-beside', 2 / 3)
  const beside = computed(() => height.value > 0 && width.value >= WIDE * height.value)
  const share = computed({
    get: () => Math.min(0.85, Math.max(0.15, Number(beside.value ? side.value : above.value) || 2 / 3)),
    set: (to) => void ((beside.value ? side : above).value = to),
  })
  const style = computed(() => {
    if (!both()) return { gridTemplate: 'minmax(0, 1fr) / minmax(0, 1fr)' }
    const parts = `minmax(0, ${share.value}fr) ${BAR}px minmax(0, ${1 - share.value}fr)`
    return { gridTemplate: beside.value ? `minmax(0, 1fr) / ${parts}` : `${parts} / minmax(0, 1fr)` }
  })
  return { beside, share, style }
}
