/** The depth under the pointer, while depth is shown. */
import { ref, watch, type Ref } from 'vue'
import { api, got, latest, type Photo, type Schemas, type Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'
import { looks, tool } from './tools'

export function useDepth(photo: Ref<Photo | null>) {
  const s = useShot()
  const depthHere = ref<{ at: Vec2; metres: number | null } | null>(null)
  const askDepth = latest(
    async (at: Vec2) => ({
      at,
      got: await got<Schemas['DepthReading']>(
        api.GET('/api/shots/{shot_id}/depth/at', {
          params: { path: { shot_id: s.id }, query: { photo: photo.value!.id, x: at[0], y: at[1] } },
        }),
      ),
    }),
    ({ at, got }) => {
      if (looks.how === 'depth') depthHere.value = { at, metres: got.depth_m }
    },
  )
  /** Ask for the depth at a pixel of the photo. */
  function lookDeep(p: Vec2) {
    const camera = photo.value?.camera
    if (looks.how !== 'depth' || tool.value !== 'choose' || !camera) return
    if (p[0] >= 0 && p[1] >= 0 && p[0] <= camera.width && p[1] <= camera.height) askDepth(p)
  }
  watch(
    () => looks.how,
    () => (depthHere.value = null),
  )
  return { depthHere, lookDeep }
}
