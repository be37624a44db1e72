/** The move: the camera at every frame, the check, playing, and the key under the hand. */
import { computed, effectScope, ref, shallowRef, watch } from 'vue'
import { api, got, Problem, told, type FrameCamera, type Key, type Schemas } from '../../api/client'
import { fromPanTiltRoll, quaternion } from '../../board/camera'
import { freshId } from '../../hand/changes'
import { held, sendHeld } from '../../hand/held'
import { oneAtATime } from '../../hand/oneAtATime'
import type { Apply } from '../../state/hand'
import { useShot } from '../../state/shot'
import { keyShown, shownOf } from '../../strip/pace'
import { holds, moved, posed, type KeyFigures } from './figures'

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
export type { Held } from './figures'
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

/** Several things tell that a check has gone on, often at once: one request is out at a time. */
const readCheck = oneAtATime(async (id: string) => {
  const answer = api.GET('/api/shots/{shot_id}/check', { params: { path: { shot_id: id } } })
  const now = await got<Schemas['CheckState']>(answer).catch(() => null)
  if (now && id === useShot().id) report.value = now
})

export function useMove() {
  const s = useShot()
  const cameras = computed(() => path.value?.cameras ?? [])
  /** The camera at a frame, as the hand has it. */
  const poseAt = (frame: number, held = true): FrameCamera | null =>
    [held ? hand.value : null, ...[...asked.value].reverse(), ...cameras.value].find((c) => c?.frame === frame) ?? null
  const at = computed(() => poseAt(s.frame))
  const key = computed<Key | null>(() => (s.state ? keyShown<Key>(s.shot.move, s.frame) : null))
  /** Whether the frame lies too close to a limit to be told yet. */
  const frameOpen = computed(() => !!report.value?.report?.open.includes(s.frame))
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
      if (key) {
        await reread()
        if (report.value?.report?.open.length) check() // broken off while some were being judged
      } else {
        report.value = null
        if (s.shot.solids.length && s.keys.length) check()
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
    const id = s.id
    await readCheck(id)
    if (id === s.id) refine()
  }
  /** Once the hand rests, all frames are judged at the delivered size, for the figures: nothing is told otherwise. */
  function refine() {
    clearTimeout(fineTimer)
    if (report.value?.report?.open.length) return
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
  /**
   * Set the key at a camera's frame: what is given, and what the hand has moved from what it was `shown`. Nothing else
   * is sent: the rest is the key's own, as the server has it by then. Shown at once.
   */
  async function setKey(change: KeyFigures, from: FrameCamera | null = at.value, shown = from) {
    if (!from || !shown) return false
    const seen = laidOver(s.shot.move)
    /** Where it stands to be seen there, or when, the server says. */
    const itSays = seen && (!change.home || !!s.shot.move.speed)
    const { frame } = from
    const body: Schemas['KeyChange'] = { frame, home: false, seen, ...moved(from, shown), ...change }
    const pose = posed(from, body)
    if (!body.home) asked.value = [...asked.value, pose] // where home is, the server says
    const made = keyOf(pose, body, keyShown<Key>(s.shot.move, frame) ?? null)
    const ok = await s.change(
      'PUT',
      `/keys/${frame}`,
      body,
      withKeys((keys) => (itSays ? keys : [...keys.filter((k) => k.frame !== frame), made])),
    )
    asked.value = asked.value.filter((c) => c !== pose)
    return ok
  }
  /** The key as it will be, until the server says. */
  function keyOf(pose: FrameCamera, body: Schemas['KeyChange'], old: Key | null): Key {
    const { frame, home } = body
    const beside = ['ease', 'focus_m', 'f_stop', 'velocity', 'speed'] as const
    const more = Object.fromEntries(beside.flatMap((n) => (body[n] === undefined ? [] : [[n, body[n]]])))
    const held = old?.free?.filter((v) => !holds(body).includes(v)) ?? []
    const key = {
      ...(old ?? { ease: null, focus_m: null, f_stop: null, velocity: null, speed: null }),
      id: old?.id ?? freshId(),
      ...more,
      frame,
      home,
      position: pose.position,
      rotation: quaternion(pose.rotation as unknown as Rows),
      zoom: pose.zoom,
      free: home ? [] : (body.free ?? held),
      ...(home ? homeOf(s.state?.home) : {}),
    } as Key
    if (key.ease === 'rest' || key.free.includes('position')) key.velocity = key.speed = null
    return key
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
      // a check tells of itself while frames are open
      watch(
        () => s.state?.rail.find((line) => line.stage === 'move')?.figure,
        () => {
          if (checking.value) void reread()
        },
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
    frameOpen,
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
