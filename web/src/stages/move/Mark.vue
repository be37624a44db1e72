<script setup lang="ts">
/** The place in the frame that was pointed out, ringed and named. */
import type { Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'
import { useAlong } from './along'

defineProps<{ width: number; height: number; toScreen: (at: Vec2) => Vec2 }>()
const s = useShot()
const { mark } = useAlong()
</script>

<template>
  <svg v-if="mark?.frame === s.frame" :width="width" :height="height" data-marked>
    <g :transform="`translate(${toScreen(mark.at).join(' ')})`">
      <circle r="13" />
      <text
        :x="toScreen(mark.at)[0] > width / 2 ? -19 : 19"
        y="5"
        :text-anchor="toScreen(mark.at)[0] > width / 2 ? 'end' : 'start'"
      >
        {{ mark.says }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  position: absolute;
  inset: 0;
}
circle {
  fill: none;
  stroke: var(--action);
  stroke-width: 2;
}
text {
  font: 600 13px var(--label);
  fill: var(--ink);
  stroke: var(--paper);
  stroke-width: 4;
  paint-order: stroke;
}
</style>
