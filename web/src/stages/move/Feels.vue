<script setup lang="ts">
/** While the camera is in hand: whether its frame would hold there, by how much, and what sets the border. */
import { onBeforeUnmount, ref, watch } from 'vue'
import { api, got, latest, type FrameCamera, type Schemas } from '../../api/client'
import { useIdea } from './idea'
import { useMove } from './move'

const { s, hand } = useMove()
const { inHand } = useIdea()
const felt = ref<Schemas['Footing'] | null>(null)
const REST = 400 // ms that the camera is in hand before anything is asked: what is done at once needs no telling
const ask = latest(
  (c: FrameCamera) => {
    const [run, rise, back] = c.position
    const { pan_deg, tilt_deg, roll_deg, zoom } = c
    const query = { run, rise, back, pan_deg, tilt_deg, roll_deg, zoom }
    const path = { shot_id: s.id, frame: String(c.frame) }
    return got<Schemas['Footing']>(api.GET('/api/shots/{shot_id}/frames/{frame}/stand', { params: { path, query } }))
  },
  (answer) => {
    if (hand.value) felt.value = answer
  },
)
let timer = 0
let feeling = false
watch(hand, (c) => {
  if (!c || !s.shot.solids.length) {
    window.clearTimeout(timer)
    timer = 0
    feeling = false
    felt.value = null
  } else if (feeling) ask(c)
  else
    timer ||= window.setTimeout(() => {
      feeling = true
      if (hand.value) ask(hand.value)
    }, REST)
})
onBeforeUnmount(() => window.clearTimeout(timer))
const share = (m: number) => `${(100 * m).toFixed(0)} %`
</script>

<template>
  <p
    v-if="felt || inHand"
    class="feels"
    :class="{ over: felt && !felt.holds && !felt.open }"
    role="status"
    data-feels
    :data-margin="felt?.margin"
  >
    <b v-if="inHand">{{ inHand }}</b><template v-if="felt && inHand"> · </template>
    <template v-if="felt?.open">Close to a limit. Let go to judge it</template>
    <template v-else-if="felt?.holds">Holds here; {{ share(felt.margin) }} of its limit left</template>
    <template v-else-if="felt">{{ felt.says }}</template>
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
