/** The move: the camera at every frame, the check, playing, and the key under the hand. */
import { computed, effectScope, ref, shallowRef, watch } from 'vue'
import { api, got, Problem, told, type FrameCamera, type Key, type Schemas } from '../../api/client'
import { useShot } from '../../state/shot'

const path = shallowRef<Schemas['PathState'] | null>(null)
const report = shallowRef<Schemas['CheckState'] | null>(null)
const playing = ref(false)
const hand = shallowRef<FrameCamera | null>(null)
/** Figures of a key that have been asked for and do not stand in the path yet: what is typed next goes on from them. */
const asked = shallowRef<{ frame: number; change: Partial<Schemas['KeyByFigures']> } | null>(null)
const overlay = ref(false)
const story = shallowRef<Schemas['ProbeReport'] | null>(null)
const checking = ref(false)
let watched = false
let timer = 0
let lastAsked = ''
/** Which report is shown: while it is the one that the server has, it is not asked for again. */
let known = ''

export function useMove() {
  const s = useShot()
  const cameras = computed(() => path.value?.cameras ?? [])
  const at = computed<FrameCamera | null>(() => hand.value ?? cameras.value.find((c) => c.frame === s.frame) ?? null)
  const figures = computed<FrameCamera | null>(() =>
    at.value && asked.value?.frame === s.frame
      ? { ...at.value, ...(asked.value.change as Partial<FrameCamera>) }
      : at.value,
  )
  const key = computed<Key | null>(() => s.keys.find((k) => k.frame === s.frame) ?? null)
  const frameReport = computed(() => report.value?.report?.frames.find((f) => f.frame === s.frame) ?? null)

  async function load() {
    const id = s.id
    const where = { params: { path: { shot_id: id } } }
    told.wants = 'path' // whoever has asked once shows the move: from now on the path comes with every change
    if (!s.state?.home && !s.keys.length) {
      path.value = null
      report.value = null
      return
    }
    try {
      const p = s.state?.path ?? (await got<Schemas['PathState']>(api.GET('/api/shots/{shot_id}/path', where)))
      if (id !== s.id) return
      path.value = p
      if (!s.busy) asked.value = null
      const key = s.state?.checked
      if (key && key === known && report.value) return
      known = key ?? ''
      if (key) report.value = await got<Schemas['CheckState']>(api.GET('/api/shots/{shot_id}/check', where))
      else {
        report.value = null
        if (s.shot.solids.length) check()
      }
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      path.value = null
    }
  }
  /** Check all frames, a moment after the last change; what has been checked before is there at once. */
  function check() {
    clearTimeout(timer)
    timer = window.setTimeout(async () => {
      const mark = `${s.id}:${s.state?.revision}`
      if (lastAsked === mark && checking.value) return
      lastAsked = mark
      checking.value = true
      const job = await s.work('/check')
      checking.value = false
      if (job?.state !== 'done') return
      report.value = await got<Schemas['CheckState']>(
        api.GET('/api/shots/{shot_id}/check', { params: { path: { shot_id: s.id } } }),
      ).catch(() => report.value)
    }, 250)
  }
  async function setKey(change: Partial<Schemas['KeyByFigures']>, from: FrameCamera | null = null) {
    const typed = !from
    from ??= figures.value
    if (!from) return
    const old = key.value
    asked.value = typed
      ? { frame: s.frame, change: { ...(asked.value?.frame === s.frame ? asked.value.change : {}), ...change } }
      : null
    const body = {
      frame: s.frame,
      position: from.position,
      pan_deg: from.pan_deg,
      tilt_deg: from.tilt_deg,
      roll_deg: from.roll_deg,
      focal_px: from.focal_px,
      home: false,
      ease: old?.ease ?? null,
      ...change,
    }
    if (!(await s.change('PUT', `/keys/${s.frame}`, body))) asked.value = null
    hand.value = null
  }
  const removeKey = () => s.change('DELETE', `/keys/${s.frame}`)
  if (!watched) {
    watched = true
    // shared by board, ledger and strip, so it must outlive each of them
    effectScope(true).run(() =>
      watch(
        () => `${s.id}:${s.state?.revision}`,
        () => {
          if (s.state) void load()
        },
        { immediate: true },
      ),
    )
  }
  return {
    s,
    path,
    cameras,
    at,
    figures,
    key,
    report,
    frameReport,
    playing,
    hand,
    overlay,
    story,
    checking,
    load,
    check,
    setKey,
    removeKey,
  }
}

export { FILM_BACK } from '../../api/shared.gen'
