<script setup lang="ts">
/** From where the frame would hold, its height, direction and focal length kept: coarse at once, then fine. */
import { computed, shallowRef } from 'vue'
import type { Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'
import { elevation, headingOf } from './elevation'
import { standingOf, useLooking } from './looking'
import { useMove } from './move'
import { areaOf, contour, tinted, turnedOver, type Room } from './room'

const props = defineProps<{
  flat: (p: number[]) => Vec2
  metres: (screen: Vec2) => Vec2
  width: number
  height: number
  /** From where every direction of the move would hold, not this frame's alone. */
  whole: boolean
  /** The view is the upright plane along the heading: its second figures are heights, turned over. */
  upright: boolean
}>()
const emit = defineEmits<{ says: [string] }>()
const s = useShot()
const { at } = useMove()
const rooms = shallowRef<Room[]>([])
/** The whole plan, coarse; about the lens, where it matters, finer and finer: cells along the longer side, pixels. */
const PASSES: [share: number, cells: number, pixels: number][] = [
  [1, 18, 128],
  [0.16, 24, 160],
  [0.16, 64, 224],
]
/** Of a whole move every place is looked from in several directions. */
const WHOLE: typeof PASSES = [
  [1, 14, 96],
  [0.16, 24, 128],
]
const area = computed(() => {
  const [x0, z0] = props.metres([0, 0])
  const [x1, z1] = props.metres([props.width, props.height])
  return [x0, z0, x1, z1].map((v) => Math.round(v * 10) / 10)
})
const side = computed(() => (props.upright && at.value ? elevation(headingOf(at.value.rotation as number[][])) : null))
const asked = computed(() =>
  JSON.stringify([s.id, props.whole || s.frame, s.state?.revision, area.value, props.whole, !!at.value]),
)
async function look(signal: AbortSignal) {
  const [x0, z0, x1, z1] = area.value
  const span = Math.max(x1 - x0, z1 - z0)
  const lens = at.value && (side.value?.across(at.value.position) ?? at.value.position)
  if (!(span > 0.1) || !lens) return
  emit('says', 'looking …')
  const found: Room[] = []
  for (const [share, cells, pixels] of props.whole ? WHOLE : PASSES) {
    const half = (span * share) / 2
    const [a, b, c, d] =
      share === 1 ? [x0, z0, x1, z1] : [lens[0] - half, lens[2] - half, lens[0] + half, lens[2] + half]
    const [low, high] = props.upright ? [-d, -b] : [b, d]
    const plane = { upright: props.upright, x0: a, z0: low, x1: c, z1: high }
    const query = { ...plane, step: (span * share) / cells, width: pixels, whole: props.whole }
    const got = await standingOf(s.id, s.frame, query, signal)
    if (got === null) return
    if (typeof got === 'string') return emit('says', got)
    const room = turnedOver(got, props.upright)
    // a finer look at the same place takes the coarser one's
    rooms.value = [...found, room]
    if (share === 1) found.push(room)
    const { holds, open } = areaOf(room)
    const where = props.whole
      ? 'the whole move'
      : `frame ${room.frame}${props.upright ? '' : `, lens at ${room.height_m.toFixed(2)} m`}`
    const much = holds ? `${holds.toFixed(1)} m² ${share === 1 ? '' : 'about the lens '}` : 'none '
    emit('says', `${much}${open ? `· ${open.toFixed(1)} m² open ` : ''}· ${where}`)
  }
}
useLooking(asked, look)
/** The picture's cells lie about the places that were looked from. */
function box(r: Room) {
  const a = props.flat([r.area[0] - r.step / 2, 0, r.area[1] - r.step / 2])
  const b = props.flat([r.area[0] + (r.across - 0.5) * r.step, 0, r.area[1] + (r.along - 0.5) * r.step])
  return { x: a[0], y: a[1], width: b[0] - a[0], height: b[1] - a[1] }
}
const pictures = computed(() => rooms.value.map((r) => ({ r, href: tinted(r) })))
const line = (r: Room) =>
  contour(r)
    .map(([a, b]) => `M${props.flat([a[0], 0, a[1]]).join(' ')}L${props.flat([b[0], 0, b[1]]).join(' ')}`)
    .join('')
</script>

<template>
  <g v-for="({ r, href }, i) in pictures" :key="i" :data-room="r.frame" :data-cells="r.margin.length">
    <rect v-if="i" v-bind="box(r)" class="paper" />
    <image v-bind="box(r)" :href="href" preserveAspectRatio="none" />
    <path v-if="i === pictures.length - 1" :d="line(r)" class="just" />
  </g>
</template>

<style scoped>
.paper {
  fill: #f4f2ed;
}
.just {
  fill: none;
  stroke: #2f7d74;
  stroke-width: 1.6;
}
</style>
