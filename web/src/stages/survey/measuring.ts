/** A length measured on the photo, on the plane of the grid that is shown. Nothing is kept. */
import { computed, ref } from 'vue'
import { api, got, latest, Problem, type Schemas, type Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'

interface Grids {
  grid: 'none' | 'ground' | 'front' | 'side' | 'ceiling'
  ceiling: number
}
/** What is being measured on the photo, and the answer to it. Nothing is kept. */
const measuring = ref<{ a: Vec2; b: Vec2; metres: number | null; sigma: number; problem: string | null } | null>(null)

export function useMeasuring(show: Grids) {
  const s = useShot()
  /** What has been measured, in words: metres with their error on the plane that is shown, or why not. */
  const measuredText = computed(() => {
    const m = measuring.value
    if (!m) return ''
    if (m.problem) return m.problem
    if (m.metres === null) return ''
    const { grid } = show
    const plane = grid === 'none' ? 'ground' : grid === 'ground' || grid === 'ceiling' ? grid : `${grid} plane`
    return `${m.metres.toFixed(2)} ± ${Math.max(m.sigma, 0.005).toFixed(2)} m on the ${plane}`
  })
  const askLength = latest(
    async (id: string, photo: string, plane: Schemas['Measuring']['plane'], level: number, a: Vec2, b: Vec2) => {
      try {
        return {
          ...(await got<Schemas['Measured']>(
            api.POST('/api/shots/{shot_id}/photos/{photo_id}/measure', {
              params: { path: { shot_id: id, photo_id: photo } },
              body: { plane, level, a, b },
            }),
          )),
          a,
          b,
          problem: null,
        }
      } catch (error) {
        if (!(error instanceof Problem)) throw error
        return { metres: null, sigma_m: 0, a, b, problem: error.message }
      }
    },
    (got) => {
      if (measuring.value)
        measuring.value = { ...measuring.value, metres: got.metres, sigma: got.sigma_m, problem: got.problem }
    },
  )
  function measure(a: Vec2, b: Vec2) {
    measuring.value = {
      a,
      b,
      metres: measuring.value?.metres ?? null,
      sigma: measuring.value?.sigma ?? 0,
      problem: null,
    }
    askLength(
      s.id,
      s.photo!.id,
      show.grid === 'none' ? 'ground' : show.grid,
      show.grid === 'ceiling' ? show.ceiling : 0,
      a,
      b,
    )
  }
  return { measuring, measuredText, measure }
}
