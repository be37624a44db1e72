<script setup lang="ts">
/** How the key at this frame is passed: at rest, as its neighbours have it, at a speed, or as it was drawn. */
import { computed } from 'vue'
import type { Vec3 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useMove } from './move'
import { length, velocityAt, wayOf, type Way } from './passing'

const { s, key, cameras, setKey } = useMove()
const end = computed(() => [s.keys[0]?.frame, s.keys.at(-1)?.frame].includes(key.value?.frame))
const way = computed(() => (key.value ? wayOf(key.value, end.value) : 'pass'))
const fps = computed(() => s.shot.delivery.fps)
const now = computed(() => (key.value ? length(velocityAt(key.value, cameras.value)) : 0))
const speed = computed(() => (key.value?.speed ?? now.value) * fps.value)
const rest = { velocity: null, speed: null }
function choose(to: Way) {
  const home = key.value!.home
  if (to === 'rest') void setKey({ home, ease: end.value ? null : 'rest', ...rest })
  if (to === 'pass') void setKey({ home, ease: 'pass', ...rest })
  if (to === 'speed') void setKey({ home, ease: null, velocity: null, speed: now.value || 0.5 / fps.value })
}
function setSpeed(metres: number) {
  const home = key.value!.home
  const drawn = key.value!.velocity
  const to = metres / fps.value
  if (!drawn) return setKey({ home, speed: to })
  const k = to / length(drawn)
  return setKey({ home, velocity: drawn.map((v) => v * k) as Vec3 })
}
</script>

<template>
  <template v-if="key && s.keys.length > 1 && !key.free?.includes('position')">
    <label class="ease"
      >At this key
      <select :value="way" data-passing @change="choose(($event.target as HTMLSelectElement).value as Way)">
        <option value="rest">{{ end ? 'stand still' : 'come to rest' }}</option>
        <option v-if="!end" value="pass">pass through</option>
        <option value="speed">pass at a speed</option>
        <option v-if="way === 'drawn'" value="drawn">pass as drawn</option>
      </select>
    </label>
    <NumberField
      v-if="way === 'speed' || way === 'drawn'"
      label="Speed there"
      :model-value="speed"
      unit="m/s"
      :digits="3"
      :min="0.001"
      :max="20000"
      @change="setSpeed($event!)"
    />
  </template>
</template>

<style scoped>
.ease {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-top: 6px;
}
</style>
