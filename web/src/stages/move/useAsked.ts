/** What the server works out of the move as it stands, when it is asked to: looked for by a job, fetched, shown. */
import { ref, shallowRef, watch, type ShallowRef } from 'vue'
import { useShot } from '../../state/shot'

/**
 * `path`: where it is ordered and fetched; `made`: whether an answer says that it has been worked out. What was never
 * looked for is not asked about when the shot changes.
 */
export function useAsked<T>(path: '/along' | '/paint-list' | '/ways', made: (answer: T) => boolean) {
  const s = useShot()
  const found: ShallowRef<T | null> = shallowRef(null)
  const busy = ref(false)
  async function get() {
    const response = await fetch(`/api/shots/${s.id}${path}`).catch(() => null)
    if (response?.ok) found.value = (await response.json()) as T
  }
  watch(
    () => s.state?.revision,
    () => {
      if (found.value && made(found.value)) void get()
    },
  )
  async function look() {
    busy.value = true
    const job = await s.work(path)
    busy.value = false
    if (job?.state === 'done') await get()
  }
  return { s, found, busy, look }
}
