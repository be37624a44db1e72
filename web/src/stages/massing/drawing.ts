/** Drawing a piece through the photo: clicks and drags become points, the server says what they would build. */
import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, got, latest, Problem, type Photo, type Schemas, type Shape, type Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'
import { depthOfOpening, factsOf, flatPlate, looks, tool, touchedAt, useChosen } from './tools'

type Touched = Schemas['Touched']
const REACH = 10 // pixels of the screen
const SMALL = 6

export function useDrawing(photo: Ref<Photo | null>, scale: () => number) {
  const s = useShot()
  const { chosen, choose, chooseMade } = useChosen()
  const points = ref<Vec2[]>([])
  const pulling = ref(false)
  const drafts = shallowRef<Shape[]>([])
  const told = ref<string | null>(null)
  const touched = shallowRef<Touched | null>(null)
  /** The face that an opening or a panel is drawn on, or the piece that a roof is put on. */
  const on = ref<string | null>(null)
  /** A wall goes on round the corner as high as the one before. */
  const height = ref<number | null>(null)
  let pressed: Vec2 | null = null
  let gesture = 0
  const here = ref<Vec2 | null>(null)
  /** The size of what is being drawn, in metres: its foot while that is drawn, its height while it is pulled. */
  const size = computed(() => {
    const v = drafts.value[0]?.vertices
    if (!here.value || !v?.length || tool.value === 'recess' || tool.value === 'fold') return null
    const span = [0, 1, 2].map((k) => Math.max(...v.map((p) => p[k])) - Math.min(...v.map((p) => p[k])))
    if (pulling.value || tool.value === 'room') return { at: here.value, text: `${span[1].toFixed(2)} m high` }
    return {
      at: here.value,
      text:
        tool.value === 'wall'
          ? `${Math.hypot(span[0], span[2]).toFixed(2)} m`
          : `${span[0].toFixed(2)} × ${span[2].toFixed(2)} m`,
    }
  })
  const way = computed(() => factsOf(tool.value).way)
  const reach = (event: { altKey: boolean }) => (event.altKey ? 0 : REACH / scale())

  const body = (top: Vec2 | null, last: Vec2 | null, snap: number) => ({
    kind: tool.value as Schemas['Construction']['kind'], // nothing is built while things are chosen
    photo: photo.value!.id,
    points: last ? [...points.value, last] : points.value,
    top,
    reach: snap,
    on: on.value,
    plate: tool.value === 'flat' ? flatPlate.value : null,
    depth: depthOfOpening.value,
    height: height.value,
  })
  const tryBuild = latest(
    async (what: object) => {
      try {
        const built = await got<Schemas['Constructed']>(
          api.POST('/api/shots/{shot_id}/construct/try', {
            params: { path: { shot_id: s.id } },
            body: what as Schemas['Construction'],
          }),
        )
        told.value = null
        return built.shapes as Shape[]
      } catch (error) {
        if (!(error instanceof Problem)) throw error
        told.value = error.message
        return drafts.value
      }
    },
    (shapes) => {
      if (points.value.length || on.value) drafts.value = shapes
    },
  )
  const touch = latest(
    (what: Parameters<typeof touchedAt>[1]) => touchedAt(s.id, what),
    (got) => {
      if (tool.value !== 'choose') touched.value = got
    },
  )
  const faceAt = (pixel: Vec2) => touchedAt(s.id, { pixel, photo: photo.value!.id, mode: 'face' })

  function giveUp() {
    gesture += 1
    points.value = []
    pulling.value = false
    tryBuild.drop()
    drafts.value = []
    told.value = null
    on.value = null
    height.value = null
    pressed = null
  }
  /** Builds what was drawn. Whatever the hand begins meanwhile (the next piece, another tool, Escape) is left alone. */
  async function finish(top: Vec2 | null, snap: number, last: Vec2 | null = null): Promise<void> {
    const was = tool.value
    const end = last ?? points.value.at(-1)!
    const what = body(top, last, snap)
    const drawn = drafts.value
    giveUp()
    drafts.value = drawn // until the piece itself is there
    const mine = gesture
    const made = await chooseMade(s.build('/construct', what))
    if (drafts.value === drawn) drafts.value = []
    if (!made) return
    if (gesture !== mine) return
    const wall = was === 'wall' ? s.shot.solids.find((x) => x.id === made[0]) : null
    if (wall?.kind === 'wall') {
      // round the corner: the next wall begins where this one ends, until Escape
      points.value = [end]
      height.value = wall.height
    } else tool.value = 'choose'
  }

  function down(p: Vec2, event: PointerEvent) {
    gesture += 1
    pressed = p
    const w = way.value
    if (pulling.value) return void finish(p, reach(event))
    if (w === 'click') {
      points.value = [p]
      return void finish(null, reach(event))
    }
    if (w === 'corners') {
      if (!points.value.length && tool.value === 'panel')
        void faceAt(p).then((got) => {
          if (points.value.length < 2) on.value = got.surface && got.surface !== 'ground' ? got.surface : null
        })
      points.value = [...points.value, touched.value && !event.altKey ? (touched.value.pixel as Vec2) : p]
      return
    }
    if (w === 'on') {
      void faceAt(p).then((got) => {
        const solid = s.shot.solids.find((x) => x.id === got.surface?.split('/')[0])
        if (solid?.kind === 'block' || solid?.kind === 'room') {
          on.value = solid.id
          pulling.value = true
          tryBuild(body(null, null, 0))
        } else told.value = 'A roof stands on a block: click one.'
      })
      return
    }
    if (tool.value === 'recess') {
      points.value = [p]
      void faceAt(p).then((got) => {
        on.value = got.surface
      })
      return
    }
    // going on round the corner: the end is set on letting go
    if (tool.value === 'wall' && points.value.length === 1) return
    points.value = [...(w === 'lines' ? points.value : []), p]
  }
  function move(p: Vec2, event: PointerEvent) {
    const snap = reach(event)
    here.value = p
    if (pulling.value) return tryBuild(body(p, null, snap))
    if (
      points.value.length &&
      (way.value === 'feet' || way.value === 'across' || way.value === 'lines') &&
      (pressed || tool.value === 'wall')
    ) {
      if (way.value !== 'lines' && (tool.value !== 'recess' || on.value)) tryBuild(body(null, p, snap))
    } else if (tool.value === 'fold') {
      points.value = [p]
      tryBuild(body(null, null, snap))
      points.value = []
    }
    touch({
      pixel: p,
      photo: photo.value!.id,
      mode: way.value === 'on' || tool.value === 'recess' || tool.value === 'panel' ? 'face' : 'foot',
      reach: snap,
    })
  }
  function up(p: Vec2, event: PointerEvent) {
    const began = pressed
    pressed = null
    const w = way.value
    if (!began || pulling.value || w === 'click' || w === 'on') return
    const far = Math.hypot(p[0] - began[0], p[1] - began[1]) * scale()
    if (w === 'feet') {
      if (tool.value === 'wall' && height.value !== null) return void finish(null, reach(event), p)
      if (far < SMALL) {
        // a click on an edge raises a wall from it
        if (tool.value === 'wall' && touched.value?.ends) {
          points.value = touched.value.ends as [Vec2, Vec2]
          pulling.value = true
        } else giveUp()
        return
      }
      points.value = [points.value[0], p]
      pulling.value = true
    } else if (w === 'across') {
      if (far < SMALL) giveUp()
      else void finish(null, tool.value === 'room' ? reach(event) : 0, p)
    } else if (w === 'lines') {
      if (far < SMALL) return giveUp()
      points.value = [...points.value, p]
      if (points.value.length === 4) pulling.value = true
    }
  }
  /** The press is given up: what it began is taken back, what was set before it stays. */
  function drop() {
    const began = pressed
    pressed = null
    if (!began || pulling.value) return
    const goingOn = tool.value === 'wall' && height.value !== null
    if (!goingOn && way.value !== 'corners' && way.value !== 'lines') return giveUp()
    if (!goingOn) points.value = points.value.slice(0, -1)
    tryBuild.drop()
    drafts.value = []
  }
  /** Close an outline of corners: a slab is pulled up next, a panel is there. */
  function close() {
    if (way.value !== 'corners' || pulling.value) return
    const corners = points.value.filter(
      (p, i) => !i || Math.hypot(p[0] - points.value[i - 1][0], p[1] - points.value[i - 1][1]) * scale() > 2,
    )
    points.value = corners
    if (corners.length < 3) return void (told.value = 'Three corners at least: click another one.')
    if (tool.value === 'slab') pulling.value = true
    else void finish(null, 0)
  }
  const direct = (kind: 'ground' | 'backdrop') => chooseMade(s.build('/construct', { kind, photo: photo.value!.id }))
  const hint = computed(() => {
    if (told.value) return told.value
    if (pulling.value)
      return tool.value === 'slab'
        ? 'Move up to its upper side and click.'
        : tool.value === 'gable'
          ? 'Move up to the ridge and click.'
          : 'Move up to the top edge and click.'
    if (tool.value === 'wall' && height.value !== null) return 'Click where the wall goes on to; Escape ends it.'
    if (tool.value === 'flat' && !flatPlate.value)
      return 'A flat shows a plate of its own: outline the foreground in Plates first.'
    if (tool.value !== 'choose') return factsOf(tool.value).hint
    if (!s.shot.solids.length) return 'Fold the picture first, or lay the ground; then draw what stands on it.'
    return null
  })
  return {
    points,
    pulling,
    drafts,
    size,
    touched,
    on,
    told,
    hint,
    way,
    down,
    move,
    up,
    drop,
    close,
    giveUp,
    direct,
    chosen,
    choose,
    looks,
  }
}
