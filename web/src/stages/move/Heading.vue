<script setup lang="ts">
/** In the lens view: whither the camera goes as it passes this key, or whence it comes. It can be dragged. */
import { computed, ref } from 'vue'
import type { Vec2, Vec3 } from '../../api/client'
import type { View } from '../../board/camera'
import { length } from './passing'
import { usePassing } from './usePassing'

const props = defineProps<{
  view: View
  width: number
  height: number
  toScreen: (p: Vec2) => Vec2
  unit: number // pixels here of one delivered
}>()
const { velocity, drag } = usePassing()
const host = ref<SVGSVGElement>()
const mark = computed(() => {
  const v = velocity.value
  if (!v || length(v) < 1e-9) return null
  const [x, y, z] = props.view.rotation.map((r) => r[0] * v[0] + r[1] * v[1] + r[2] * v[2])
  if (Math.abs(z) < 1e-9) return null
  const at: Vec2 = [
    props.view.centre[0] + (props.view.focal * x) / z,
    props.view.centre[1] + (props.view.focal * y) / z,
  ]
  const there = props.toScreen(at)
  const inside = there[0] > 4 && there[1] > 4 && there[0] < props.width - 4 && there[1] < props.height - 4
  return inside ? { at: there, ahead: z > 0 } : null
})
function take(event: PointerEvent) {
  const fast = length(velocity.value!)
  const way = mark.value!.ahead ? 1 : -1
  const box = host.value!.getBoundingClientRect()
  const { rotation, focal, centre } = props.view
  drag(event, host.value!.parentElement!, (e) => {
    const u = (e.clientX - box.left) / props.unit - centre[0]
    const v = (e.clientY - box.top) / props.unit - centre[1]
    const ray = [0, 1, 2].map((i) => rotation[0][i] * u + rotation[1][i] * v + rotation[2][i] * focal)
    return ray.map((x) => (way * x * fast) / length(ray)) as Vec3
  })
}
</script>

<template>
  <svg v-if="mark" ref="host" :width="width" :height="height">
    <g :transform="`translate(${mark.at.join(' ')})`" class="heading" :data-heading="mark.ahead ? 'to' : 'from'">
      <title>{{ mark.ahead ? 'The camera goes there: drag to turn its way' : 'The camera comes from there' }}</title>
      <path d="M-11 0H-4M4 0H11M0 -11V-4M0 4V11" />
      <circle r="9" @pointerdown="take" />
    </g>
  </svg>
</template>

<style scoped>
svg {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
.heading path {
  stroke: #fff;
  stroke-width: 1.6;
  fill: none;
  filter: drop-shadow(0 0 1px #000);
}
.heading circle {
  fill: transparent;
  stroke: #fff;
  stroke-width: 1.4;
  filter: drop-shadow(0 0 1px #000);
  pointer-events: all;
  cursor: grab;
}
.heading[data-heading='from'] circle {
  stroke-dasharray: 3 3;
}
</style>
