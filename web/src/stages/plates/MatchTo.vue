<script setup lang="ts">
/** A plate's grade from another plate, by the surface points that both show. */
import { computed, ref } from 'vue'
import { api, got, Problem, type Schemas } from '../../api/client'
import { useShot } from '../../state/shot'

const props = defineProps<{ plate: string }>()
const emit = defineEmits<{ matched: [grade: Schemas['Grade']] }>()
const s = useShot()
const others = computed(() => s.shot.plates.filter((p) => p.id !== props.plate))
const busy = ref(false)
const said = ref('')
async function match(event: Event) {
  const to = (event.target as HTMLSelectElement).value
  if (!to) return
  busy.value = true
  said.value = ''
  try {
    const path = { shot_id: s.id, plate_id: props.plate }
    const m = await got<Schemas['Matched']>(
      api.GET('/api/shots/{shot_id}/throws/{plate_id}/match', { params: { path, query: { to } } }),
    )
    emit('matched', m.grade)
    const [now, then] = [m.after.toFixed(1), m.before.toFixed(1)]
    const off = `± ${m.exposure_error.toFixed(2)} stops, ± ${m.temperature_error.toFixed(0)} mired`
    said.value =
      m.by === 'shared'
        ? `Matched by ${m.points.toLocaleString('en')} points that both show: ` +
          `ΔE ${now} remains between areas of a tenth of the photo, it was ${then} (${off}).`
        : `The two plates share no surface. The match uses brightness and white of what is around this plate ` +
          `(${off}). Check it by eye.`
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    said.value = error.message
  } finally {
    busy.value = false
    ;(event.target as HTMLSelectElement).value = ''
  }
}
</script>

<template>
  <label v-if="others.length" class="said"
    ><span>Match to</span>
    <select :disabled="busy" aria-label="Plate to match to" data-match @change="match">
      <option value="">{{ busy ? 'matching…' : 'no other plate' }}</option>
      <option v-for="p in others" :key="p.id" :value="p.id">{{ p.name }}</option>
    </select></label
  >
  <p v-if="said" class="sentence" role="status" data-matched>{{ said }}</p>
</template>

<style scoped>
.said {
  grid-template-columns: 1fr 1.4fr;
}
</style>
