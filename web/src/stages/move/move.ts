/** The move: the camera at every frame, the check, playing, and the key under the hand. */
import { computed, effectScope, ref, shallowRef, watch } from 'vue'
import { api, got, Problem, told, type FrameCamera, type Key, type Schemas } from '../../api/client'
import { fromPanTiltRoll, quaternion } from '../../board/camera'
import { freshId } from '../../hand/changes'
import { held, sendHeld } from '../../hand/held'
import type { Apply } from '../../state/hand'
import { useShot } from '../../state/shot'
import { keyShown, shownOf } from '../../strip/pace'
import { withUntouched } from './untouched'

const path = shallowRef<Schemas['PathState'] | null>(null)
const report = shallowRef<Schemas['CheckState'] | null>(null)
const playing = ref(false)
/** The camera in hand, at its frame: moved in a view, or by a wheel that has not come to rest. */
const hand = shallowRef<FrameCamera | null>(null)
/** The camera that was shown when the hand took hold of it. */
const taken = shallowRef<FrameCamera | null>(null)
/** Cameras that have been let go of and do not stand in the path yet, in order: what comes next goes on from them. */
const asked = shallowRef<FrameCamera[]>([])
const REST = 350 // ms without a turn of the wheel
const overlay = ref(false)
/** Whether the lens view shows which plate gives each pixel. */
const giving = ref(false)
const story = shallowRef<Schemas['ProbeReport'] | null>(null)
const checking = ref(false)
let watched = false
let resting: ReturnType<typeof held>
export type Held = Schemas['KeyByFigures']['free'] extends (infer T)[] | undefined ? T : never
type Rows = Parameters<typeof quaternion>[0]
const homeOf = (home?: Key | null) =>
  home ? { position: home.position, rotation: home.rotation, zoom: home.zoom } : {}
/** A shot with other keys, in the order of their frames. */
const withKeys =
  (alter: (keys: Key[]) => Key[]): Apply =>
  (shot) => ({ ...shot, move: { ...shot.move, keys: alter(shot.move.keys).sort((a, b) => a.frame - b.frame) } })
/** Whether what is seen is not where a key would stand: pace, aim, sway or a carrier lie over the keys. */
const laidOver = (move: Schemas['Move']) => !!(move.speed ?? move.aim ?? move.sway ?? move.carrier)
/** Whether the camera passes its keys elsewhere than they stand. */
export const passesElsewhere = (move: Schemas['Move']) => !!(move.sway ?? move.carrier)
/** A camera with the rotation that its angles say. */
export const turned = (c: FrameCamera): FrameCamera => ({
  ...c,
  rotation: fromPanTiltRoll(c.pan_deg, c.tilt_deg, c.roll_deg) as unknown as FrameCamera['rotation'],
})
let timer = 0
let fineTimer = 0
const FINE_REST = 15_000 // ms without a change
let lastAsked = ''
/** Which report is shown: while it is the one that the server has, it is not asked for again. */
let known = ''

export function useMove() {
  const s = useShot()
  const cameras = computed(() => path.value?.cameras ?? [])
  /** The camera at a frame, as the hand has it. */
  const poseAt = (frame: number, held = true): FrameCamera | null =>
    [held ? hand.value : null, ...[...asked.value].reverse(), ...cameras.value].find((c) => c?.frame === frame) ?? null
  const at = computed(() => poseAt(s.frame))
  const key = computed<Key | null>(() => (s.state ? keyShown<Key>(s.shot.move, s.frame) : null))
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
      const key = s.state?.checked
      if (key && key === known && report.value) return
      known = key ?? ''
      if (key) await reread()
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
      const job = await s.check()
      if (lastAsked === mark) checking.value = false // else another one is under way
      if (job?.state === 'done') await reread()
    }, 250)
  }
  const here = () => ({ path: { shot_id: s.id } })
  async function reread() {
    report.value = await got<Schemas['CheckState']>(api.GET('/api/shots/{shot_id}/check', { params: here() })).catch(
      () => report.value,
    )
    refine()
  }
  /** Frames are judged small at first; once the hand rests, at the delivered size, behind all else. */
  function refine() {
    clearTimeout(fineTimer)
    if (!report.value?.width || report.value.width >= s.shot.delivery.width) return
    const mark = `${s.id}:${s.state?.revision}`
    fineTimer = window.setTimeout(async () => {
      if (mark !== `${s.id}:${s.state?.revision}` || playing.value || hand.value) return
      const wanted = { params: { ...here(), query: { fine: true } } }
      const job = await got<Schemas['JobState']>(api.POST('/api/shots/{shot_id}/check', wanted)).catch(() => null)
      const ended = job && (await s.endOf(job))
      if (ended?.state === 'done' && mark === `${s.id}:${s.state?.revision}`) await reread()
    }, FINE_REST)
  }
  /** Of the values that a key leaves free, those that have not been changed: what the hand sets, the key holds. */
  function stillFree(free: Held[], pose: Partial<FrameCamera>, frame: number): Held[] {
    const was = cameras.value.find((c) => c.frame === frame)
    if (!was) return free
    const same = (a: number, b: number) => Math.abs(a - b) < 1e-9
    const kept: Record<Held, boolean> = {
      position: was.position.every((v, i) => same(v, pose.position![i])),
      rotation: (['pan_deg', 'tilt_deg', 'roll_deg'] as const).every((a) => same(was[a], pose[a]!)),
      focal_px: same(was.zoom, pose.zoom!),
    }
    return free.filter((v) => kept[v])
  }
  /** Set the key at a camera's frame: that camera, but for what is given. Shown at once. */
  async function setKey(change: Partial<Schemas['KeyByFigures']>, from: FrameCamera | null = at.value, shown = from) {
    if (!from || !shown) return false
    const seen = laidOver(s.shot.move)
    /** Where it stands to be seen there, or when, the server says. */
    const itSays = seen && (!change.home || !!s.shot.move.speed)
    const { frame } = from
    const old = keyShown<Key>(s.shot.move, frame)
    const body = {
      frame,
      position: from.position,
      pan_deg: from.pan_deg,
      tilt_deg: from.tilt_deg,
      roll_deg: from.roll_deg,
      zoom: from.zoom,
      home: false,
      seen,
      ease: old?.ease ?? null,
      focus_m: old?.focus_m ?? null,
      f_stop: old?.f_stop ?? null,
      velocity: old?.velocity ?? null,
      speed: old?.speed ?? null,
      ...change,
      free: change.home ? [] : stillFree(change.free ?? old?.free ?? [], { ...from, ...change }, frame),
    }
    if (body.ease === 'rest' || body.free.includes('position')) body.velocity = body.speed = null
    const rotation = fromPanTiltRoll(body.pan_deg, body.tilt_deg, body.roll_deg)
    const focal_px = (from.focal_px * body.zoom) / from.zoom
    const pose = { ...from, ...body, focal_px, rotation } as unknown as FrameCamera
    const made = {
      id: old?.id ?? freshId(),
      frame,
      position: pose.position,
      rotation: quaternion(pose.rotation as unknown as Rows),
      zoom: pose.zoom,
      home: body.home,
      ease: body.ease,
      free: body.free,
      focus_m: body.focus_m,
      f_stop: body.f_stop,
      velocity: body.velocity,
      speed: body.speed,
      ...(body.home ? homeOf(s.state?.home) : {}),
    } as Key
    if (!body.home) asked.value = [...asked.value, pose] // where home is, the server says
    /** When its turn comes: what the hand has left alone is the key's own by then. */
    const sent = () => {
      const now = old && !seen && !body.home ? s.state!.shot.move.keys.find((k) => k.id === old.id) : null
      return now && now.frame === frame && !now.home ? withUntouched(body, shown, now) : body
    }
    const ok = await s.change(
      'PUT',
      `/keys/${frame}`,
      sent,
      withKeys((keys) => (itSays ? keys : [...keys.filter((k) => k.frame !== frame), made])),
    )
    asked.value = asked.value.filter((c) => c !== pose)
    return ok
  }
  const removeKey = () => {
    const frame = key.value?.frame ?? s.frame
    return s.change(
      'DELETE',
      `/keys/${frame}`,
      undefined,
      withKeys((keys) => keys.filter((k) => k.frame !== frame)),
    )
  }
  /** Let go of the camera in hand: that sets its key. */
  function letGo() {
    const mine = hand.value
    hand.value = null
    resting.drop()
    if (mine) void setKey({}, mine, taken.value ?? mine)
  }
  if (!watched) {
    watched = true
    resting = held(letGo, REST)
    // shared by board, ledger and strip, so it must outlive each of them
    effectScope(true).run(() => {
      watch(
        () => `${s.id}:${s.state?.revision}`,
        () => {
          if (s.state) void load()
        },
        { immediate: true },
      )
      watch(() => s.frame, sendHeld, { flush: 'sync' })
      watch(
        hand,
        (now, was) => {
          if (!was && now) taken.value = poseAt(now.frame, false)
        },
        { flush: 'sync' },
      )
      watch(
        () => s.id,
        () => (asked.value = []),
      )
    })
  }
  return {
    s,
    path,
    cameras,
    at,
    poseAt,
    key,
    report,
    frameReport,
    playing,
    hand,
    overlay,
    giving,
    story,
    checking,
    load,
    check,
    setKey,
    letGo,
    turning: () => resting.again(),
    removeKey,
    shownOf: (own: number) => shownOf(s.shot.move, own),
  }
}
