/** Focus by hand: its line dragged in plan, or what is clicked in the lens view. */
import { computed, ref } from 'vue'
import { api, got, type FrameCamera, type Schemas, type Vec2 } from '../../api/client'
import { keyShown } from '../../strip/pace'
import { useMove } from './move'

/** Whether the next click in the lens view says what is in focus. */
const focusing = ref(false)
/** The distance that the hand has the line at, metres along the lens's axis. */
const held = ref<number | null>(null)
const NEAREST = 0.01 // metres

/** Metres along the lens's axis to a place of the plan, level with the lens; null behind it. */
export function depthOf(camera: Pick<FrameCamera, 'position' | 'rotation'>, [run, back]: Vec2): number | null {
  const [x, , z] = (camera.rotation as unknown as number[][])[2]
  const level = x * x + z * z
  if (level < 1e-9) return null
  const depth = ((run - camera.position[0]) * x + (back - camera.position[2]) * z) / level
  return depth >= NEAREST ? depth : null
}

export function useFocus() {
  const { s, at, setKey } = useMove()
  const focus = computed(() => at.value?.focus ?? null)
  /** Set on a camera's frame: the key that stands there, with home kept where it is pinned, or one made there. */
  function set(focus_m: number, camera: FrameCamera) {
    const home = keyShown<Schemas['Key']>(s.shot.move, camera.frame)?.home ?? false
    return setKey({ home, focus_m: Math.round(focus_m * 1000) / 1000 }, camera)
  }
  /** What a pixel of the lens view shows, put in focus; whether the click was meant for that. */
  function click([x, y]: Vec2): boolean {
    const camera = at.value
    if (!focusing.value || !camera) return false
    focusing.value = false
    const path = { shot_id: s.id, frame: String(camera.frame) }
    void got<Schemas['ProbeReport']>(
      api.GET('/api/shots/{shot_id}/frames/{frame}/probe', { params: { path, query: { x, y } } }),
    ).then(
      ({ depth_m }) => {
        if (depth_m === null) s.problem = 'The set has no surface at that pixel. Click on a piece.'
        else return set(depth_m, camera)
      },
      () => (s.problem = 'The server did not answer. Click again.'),
    )
    return true
  }
  return { focus, focusing, held, set, click }
}
