/** Moves from ideas drawn in the lens view: pressed on what they are about, dragged as far as they go. */
import { watch, type Ref } from 'vue'
import { api, got, latest, type FrameCamera, type Vec3 } from '../../api/client'
import { AHEAD } from '../../api/shared.gen'
import { begin } from '../../hand/gesture'
import { drawnFar, IDEAS, useIdea } from './idea'
import { useMove } from './move'

const STILL = 3 // pixels that are no drag

/** ``unit``: delivered pixels of one on the screen. */
export function useDrawn(host: Ref<HTMLElement | undefined>, unit: () => number) {
  const { s, at, hand, story, playing } = useMove()
  const { kind, about, drawing, inHand, far, ends, pick, set } = useIdea()
  let mine: FrameCamera | null = null // what this gesture has put in hand
  const show = (camera: FrameCamera) => (mine = hand.value = camera)
  const ask = latest(
    (amount: number) => {
      const [run, rise, back] = about.value?.at ?? []
      const query = { kind: kind.value, amount, run, rise, back, ends_at_home: ends.value === 'last' }
      return got<FrameCamera>(api.GET('/api/shots/{shot_id}/idea', { params: { path: { shot_id: s.id }, query } }))
    },
    (camera) => mine && show(camera),
  )
  watch(drawing, (on) => {
    if (on) s.frame = ends.value === 'last' ? s.state!.last_frame : s.state!.first_frame // home is what is pressed on
  })

  function draw(event: PointerEvent) {
    const { frame } = s
    const camera = { ...at.value! }
    const was = { about: about.value, far: far.value }
    const depth = story.value?.depth_m ?? AHEAD
    const world = story.value?.world as Vec3 | undefined
    if (IDEAS[kind.value].about) about.value = world ? { solid: null, at: world, name: 'what was pressed' } : null
    const { width, height } = s.shot.delivery
    const measure = { width, height, focal: camera.focal_px, depth }
    const from = [event.clientX, event.clientY]
    const other = ends.value === 'last' ? s.state!.first_frame : s.state!.last_frame
    story.value = null
    begin(event, host.value!, {
      move: (e) => {
        const [dx, dy] = [e.clientX - from[0], e.clientY - from[1]]
        if (!mine && Math.hypot(dx, dy) < STILL) return
        if (!mine) {
          s.frame = other
          show({ ...camera, frame: other })
        }
        const amount = drawnFar(kind.value, dx * unit(), dy * unit(), measure)
        far.value = { ...far.value, [kind.value]: amount }
        inHand.value = `${IDEAS[kind.value].far} ${amount} ${IDEAS[kind.value].unit}`
        ask(amount)
      },
      finish: async () => {
        const held = mine
        mine = null
        inHand.value = ''
        if (!held) return
        drawing.value = false
        await set(far.value[kind.value])
        if (hand.value === held) hand.value = null // not what has been taken in hand since
      },
      giveUp: () => {
        if (mine) hand.value = null
        mine = null
        inHand.value = ''
        about.value = was.about
        far.value = was.far
        s.frame = frame
      },
    })
  }
  /** Take a press for an idea: to draw it, or as what it is about; whether it was taken. */
  function taken(event: PointerEvent): boolean {
    if (!drawing.value) return pick(story.value?.world as Vec3 | undefined, story.value?.surface)
    playing.value = false
    draw(event)
    return true
  }
  return { taken, drawing }
}
