<script setup lang="ts">
/** What a key holds of the camera, and its focus: each value may be left to the other keys. */
import { ElButton, ElCheckbox } from 'element-plus'
import { computed } from 'vue'
import NumberField from '../../ledger/NumberField.vue'
import { useMove, type Held } from './move'
import { useFocus } from './useFocus'

const { s, at, key, setKey } = useMove()
const { focusing } = useFocus()
const VALUES: [Held, string][] = [
  ['position', 'position'],
  ['rotation', 'direction'],
  ['focal_px', 'focal length'],
]
const free = computed(() => key.value?.free ?? [])
const hold = (v: Held, held: boolean) => setKey({ free: held ? free.value.filter((x) => x !== v) : [...free.value, v] })
/** With home kept where it is pinned. */
const also = (change: object) => setKey({ home: key.value?.home ?? false, ...change })
const focus = computed(() => at.value?.focus ?? null)
const sharp = computed(() => {
  const f = focus.value
  if (!f || f.sharp_from_m === null) return null
  const to = f.sharp_to_m === null ? 'on' : `to ${f.sharp_to_m!.toFixed(2)} m`
  return `Sharp to one pixel from ${f.sharp_from_m!.toFixed(2)} m ${to}.`
})
</script>

<template>
  <fieldset v-if="key && !key.home && s.keys.length > 1" class="holds" data-holds>
    <legend>This key holds</legend>
    <ElCheckbox
      v-for="[v, n] in VALUES"
      :key="v"
      :model-value="!free.includes(v)"
      :title="`Without it, the ${n} goes on past this key as the others have it`"
      :data-holds-value="v"
      @change="hold(v, $event as boolean)"
      >{{ n }}</ElCheckbox
    >
  </fieldset>
  <NumberField
    id="focus"
    label="Focus distance"
    :model-value="key?.focus_m ?? focus?.focus_m ?? null"
    unit="m"
    empty="not set"
    :min="0.01"
    :max="1000000"
    makes
    @change="also({ focus_m: $event })"
  />
  <ElButton :class="{ on: focusing }" :aria-pressed="focusing" data-pick-focus @click="focusing = !focusing">
    {{ focusing ? 'Click in the lens view' : 'Focus on a click' }}
  </ElButton>
  <NumberField
    v-if="focus"
    id="f-stop"
    label="f-stop"
    :model-value="key?.f_stop ?? focus.f_stop"
    unit="f/"
    empty="not set"
    :min="0.1"
    :max="1000"
    makes
    @change="also({ f_stop: $event })"
  />
  <p v-if="sharp" class="quiet" data-sharp>{{ sharp }}</p>
</template>

<style scoped>
.holds {
  border: 0;
  padding: 0;
  margin: 6px 0 4px;
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
}
.holds legend {
  padding: 0;
}
</style>
