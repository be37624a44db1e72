<script setup lang="ts">
/** How a key of a piece, a group or the carrier is passed. */
import NumberField from '../../ledger/NumberField.vue'
import type { Eased } from './motion'

const props = defineProps<{ at: Eased; fps: number; of: string }>()
const emit = defineEmits<{ set: [Pick<Eased, 'ease' | 'speed'>] }>()
type Way = 'even' | 'rest' | 'pass' | 'speed'
function choose(way: Way) {
  if (way === 'speed') emit('set', { ease: null, speed: 0.5 / props.fps })
  else emit('set', { ease: way === 'even' ? null : way, speed: null })
}
</script>

<template>
  <label class="said"
    >At this key
    <select
      :value="at.speed ? 'speed' : (at.ease ?? 'even')"
      :aria-label="`How ${of} passes its key`"
      :data-ease="of"
      @change="choose(($event.target as HTMLSelectElement).value as Way)"
    >
      <option value="even">smooth, no overshoot</option>
      <option value="rest">come to rest</option>
      <option value="pass">pass through</option>
      <option value="speed">pass at a speed</option>
    </select>
  </label>
  <NumberField
    v-if="at.speed"
    :id="`speed-${of}`"
    label="Speed there"
    :model-value="at.speed * fps"
    unit="m/s"
    :digits="3"
    :min="0.001"
    :max="20000"
    @change="emit('set', { ease: null, speed: $event! / fps })"
  />
</template>
