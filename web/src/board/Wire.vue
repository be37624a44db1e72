<script setup lang="ts">
/** Solids as outlines through a view, in screen pixels. */
import { computed } from 'vue'
import type { Shape, Vec2, Vec3 } from '../api/client'
import { projectSegment, type View } from './camera'

const props = defineProps<{
  shapes: Shape[]
  view: View
  toScreen: (p: Vec2) => Vec2
  chosen?: string | null
  also?: string[]
  faint?: boolean
  scale: number
  tick?: unknown
}>()
const emit = defineEmits<{ choose: [string, PointerEvent] }>()

function path(shape: Shape): string {
  const seen = new Set<string>()
  let d = ''
  for (const loop of shape.loops) {
    const ways = new Set(loop.map((a, i) => `${a}>${loop[(i + 1) % loop.length]}`))
    loop.forEach((a, i) => {
      const b = loop[(i + 1) % loop.length]
      if (ways.has(`${b}>${a}`)) return // the way to a hole and back is no edge
      const key = a < b ? `${a}.${b}` : `${b}.${a}`
      if (seen.has(key)) return
      seen.add(key)
      const s = projectSegment(props.view, shape.vertices[a] as Vec3, shape.vertices[b] as Vec3)
      if (!s) return
      const [p, q] = s.map(props.toScreen)
      if (Math.max(Math.abs(p[0]), Math.abs(p[1]), Math.abs(q[0]), Math.abs(q[1])) > 3e5) return
      d += `M${p[0].toFixed(1)} ${p[1].toFixed(1)}L${q[0].toFixed(1)} ${q[1].toFixed(1)}`
    })
  }
  return d
}
const paths = computed(() => {
  void props.tick
  void props.scale
  return props.shapes.map((s) => ({ id: s.id, d: path(s) }))
})
</script>

<template>
  <g class="wire" :class="{ faint }">
    <g v-for="p in paths" :key="p.id" :data-solid="p.id" :class="{ chosen: p.id === chosen || also?.includes(p.id) }">
      <path :d="p.d" class="halo" />
      <path :d="p.d" class="line" />
      <path :d="p.d" class="grip" @pointerdown="emit('choose', p.id, $event)" />
    </g>
  </g>
</template>

<style scoped>
path {
  fill: none;
}
.halo {
  stroke: rgb(255 255 255 / 55%);
  stroke-width: 2.6;
}
.line {
  stroke: #22303a;
  stroke-width: 1.1;
}
.grip {
  stroke: transparent;
  stroke-width: 9;
  cursor: pointer;
}
.chosen .line {
  stroke: #b5432a;
  stroke-width: 1.8;
}
.faint .halo {
  stroke: rgb(255 255 255 / 30%);
}
</style>
