<script setup lang="ts">
/** From where the frame would hold at several heights about the lens, seen from any side; and the move within it. */
import { computed, shallowRef } from 'vue'
import type { Vec2, Vec3 } from '../../api/client'
import { project, type View } from '../../board/camera'
import { useShot } from '../../state/shot'
import { standingOf, useLooking } from './looking'
import { useMove } from './move'
import { areaOf, type Room } from './room'
import { cubic, extentOf, strips, type Extent } from './volume'

const props = defineProps<{
  view: View
  /** Whether standing room is looked for; the move is drawn in any case. */
  room: boolean
  /** From where every direction of the move would hold, not this frame's alone. */
  whole: boolean
}>()
const emit = defineEmits<{ says: [string] }>()
const s = useShot()
const { at, cameras } = useMove()
const PIXELS = 96
const rooms = shallowRef<Room[]>([])
const extent = computed<Extent | null>(() =>
  at.value ? extentOf(at.value.position, props.whole ? cameras.value.map((c) => c.position) : []) : null,
)
const asked = computed(() => JSON.stringify([s.id, s.frame, s.state?.revision, props.room, props.whole, extent.value]))
async function look(signal: AbortSignal) {
  const [e, frame, whole] = [extent.value, s.frame, props.whole]
  rooms.value = []
  if (!e || !props.room) return
  emit('says', 'looking …')
  const [x0, z0, x1, z1] = e.area
  for (const height of e.heights) {
    const got = await standingOf(s.id, frame, { x0, z0, x1, z1, step: e.step, height, width: PIXELS, whole }, signal)
    if (got === null) return
    if (typeof got === 'string') return emit('says', got)
    rooms.value = [...rooms.value, got]
    const much = cubic(rooms.value, e.rise)
    const open = rooms.value.reduce((sum, r) => sum + areaOf(r).open * e.rise, 0)
    const still = open ? `${open.toFixed(1)} m³ open · ` : ''
    const of = whole ? 'the whole move' : `frame ${frame}`
    const layers = `${rooms.value.length} of ${e.heights.length} layers ${e.rise.toFixed(2)} m apart`
    emit('says', `${much ? `${much.toFixed(1)} m³` : 'none'} · ${still}${of}, ${layers}`)
  }
}
useLooking(asked, look)
function line(points: Vec3[], closed = false): string {
  const seen = points.map((p) => project(props.view, p))
  if (closed && seen.some((p) => !p)) return ''
  const there = seen.filter((p): p is Vec2 => !!p)
  return there.length > 1
    ? `M${there.map((p) => p.map((v) => v.toFixed(1)).join(' ')).join('L')}${closed ? 'Z' : ''}`
    : ''
}
/** The lowest layer first, so that the higher ones lie over it as they are seen from above. */
const layers = computed(() =>
  [...rooms.value]
    .sort((a, b) => a.height_m - b.height_m)
    .map((r) => ({
      height: r.height_m,
      d: strips(r)
        .map((q) => line(q, true))
        .join(''),
    })),
)
const path = computed(() => line(cameras.value.map((c) => c.position)))
const lens = computed(() => at.value && project(props.view, at.value.position))
const foot = computed(() => at.value && line([at.value.position, [at.value.position[0], 0, at.value.position[2]]]))
</script>

<template>
  <g :data-layers="layers.length">
    <path v-for="l in layers" :key="l.height" :d="l.d" class="layer" :data-height="l.height.toFixed(2)" />
    <path v-if="foot" :d="foot" class="foot" />
    <path :d="path" class="under" />
    <path :d="path" class="way" />
    <rect v-if="lens" :x="lens[0] - 4" :y="lens[1] - 4" width="8" height="8" class="lens" />
  </g>
</template>

<style scoped>
.layer {
  fill: #2f7d74;
  fill-opacity: 0.34;
  stroke: #1d5a53;
  stroke-opacity: 0.6;
  stroke-width: 0.6;
}
.under,
.way {
  fill: none;
  stroke: #f4f2ed;
  stroke-width: 4;
}
.way {
  stroke: #22323a;
  stroke-width: 1.8;
}
.foot {
  fill: none;
  stroke: #22323a;
  stroke-width: 1;
  stroke-dasharray: 3 3;
}
.lens {
  fill: #b5432a;
  stroke: #f4f2ed;
}
</style>
