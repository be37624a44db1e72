/** Plates thrown on the solids as the lens sees them, on a canvas, for as long as it is there. */
import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue'
import type { View } from '../../board/camera'
import type { Paced, Quality } from '../../board/paced'
import { Thrown } from '../../board/thrown'
import { useMove } from './move'

export function useLensPicture(
  gl: Ref<HTMLCanvasElement | undefined>,
  box: Ref<{ w: number; h: number }>,
  view: Ref<View | null>,
) {
  const { s, at, playing } = useMove()
  const loading = ref(false)
  const leftOut = ref<string | null>(null)
  let thrown: Thrown | null = null
  let pace: Paced | null = null

  function draw(quality: Quality) {
    if (!thrown?.ready || !gl.value || !view.value || box.value.w < 17) return
    const ratio = window.devicePixelRatio || 1
    const runs = thrown.show(s.frame, s.state!.first_frame, s.state!.last_frame, playing.value)
    const [width, height] = [box.value.w, box.value.h].map((n) => Math.round(n * ratio))
    thrown.render(view.value, width, height, at.value?.moved, quality)
    const moved = String(at.value?.moved?.length ?? 0)
    Object.assign(gl.value.dataset, { frame: String(s.frame), moved, running: runs ? String(s.frame) : '' })
  }
  async function rebuild() {
    if (!thrown || !s.state) return
    const mine = thrown
    loading.value = !mine.ready
    await mine.set(s.state)
    if (thrown !== mine) return // the stage has been left meanwhile
    loading.value = false
    leftOut.value = thrown.leftOut()
    pace?.ask()
  }
  function end() {
    thrown?.dispose()
    thrown = pace = null
  }
  // the view comes with the first camera, and goes with it when that is undone
  watch(gl, (canvas) => {
    end()
    try {
      if (canvas) thrown = new Thrown(canvas)
    } catch {
      s.problem = 'This browser cannot draw in 3D (WebGL 2 is missing); verdicts and rendering work all the same.'
    }
    if (thrown) {
      pace = thrown.paced(draw)
      thrown.arrived = (frame) => frame === s.frame && pace?.ask()
    }
    void rebuild()
  })
  onBeforeUnmount(end)
  const sceneKey = computed(() =>
    JSON.stringify([s.shot.photos.map((p) => p.camera), s.state?.pictures, s.shot.throws, s.state?.shapes]),
  )
  watch(sceneKey, rebuild)
  watch([view, box], () => pace?.ask(), { deep: false })
  return { loading, leftOut }
}
