<script setup lang="ts">
/** While the camera is in hand: whether its frame would hold there, by how much, and what sets the border. */
import { ref, watch } from 'vue'
import { api, got, latest, type FrameCamera, type Schemas } from '../../api/client'
import { useMove } from './move'

const { s, hand } = useMove()
const felt = ref<Schemas['Footing'] | null>(null)
const ask = latest(
  (c: FrameCamera) =>
    got<Schemas['Footing']>(
      api.POST('/api/shots/{shot_id}/frames/{frame}/stand', {
        params: { path: { shot_id: s.id, frame: String(c.frame) } },
        body: {
          position: c.position,
          pan_deg: c.pan_deg,
          tilt_deg: c.tilt_deg,
          roll_deg: c.roll_deg,
          focal_px: c.focal_px,
        },
      }),
    ),
  (answer) => {
    if (hand.value) felt.value = answer
  },
)
watch(hand, (c) => {
  if (c && s.shot.solids.length) ask(c)
  else felt.value = null
})
/** More than this share of the limit is left: nothing to say in figures. */
const share = (m: number) => `${(100 * m).toFixed(0)} %`
</script>

<template>
  <p v-if="felt" class="feels" :class="{ over: !felt.holds }" role="status" data-feels :data-margin="felt.margin">
    <template v-if="felt.holds">Holds here; {{ share(felt.margin) }} of its limit left</template>
    <template v-else>{{ felt.says }}</template>
  </p>
</template>

<style scoped>
.feels {
  position: absolute;
  right: 10px;
  top: 10px;
  max-width: 46%;
  margin: 0;
  background: var(--paper);
  border: 1px solid var(--ink);
  border-left: 4px solid var(--confirm);
  padding: 4px 9px;
  pointer-events: none;
}
.over {
  border-left-color: var(--action);
}
</style>
