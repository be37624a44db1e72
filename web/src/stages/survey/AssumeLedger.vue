<script setup lang="ts">
/** What stands in for what is not known of a photo: lens, horizon, eye. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useSurvey } from './survey'

const { s, survey, result, keep, copy, find, finding } = useSurvey()
const facts = computed(() => s.photo?.facts)
const USUAL = [24, 35, 50, 85] // millimetres: a few usual lenses
/** Assume a camera, or something else of it; null: assume nothing. */
function assume(what: Partial<Schemas['Assumption']> | null) {
  const next = copy()
  const before = next.assumption ?? { lens_mm35: facts.value?.focal_35mm ?? 35, horizon: null, eye_m: 1.6 }
  next.assumption = what === null ? null : { ...before, ...what }
  return keep(next, what === null ? 'Stop assuming' : 'Assume a camera')
}
const standsIn = (part: 'lens' | 'horizon' | 'eye') => result.value?.stands_in?.includes(part)
</script>

<template>
  <section v-if="survey" class="section" data-assuming>
    <h2>Assumed</h2>
    <template v-if="!survey.assumption">
      <p class="quiet">
        No edges to trace? Lens, horizon and eye can be assumed; whatever you trace takes their place.
      </p>
      <ElButton data-assume @click="assume({})">Assume a camera</ElButton>
    </template>
    <template v-else>
      <NumberField
        id="assumed-lens"
        label="Lens, 35 mm equivalent"
        :model-value="survey.assumption.lens_mm35"
        unit="mm"
        :digits="0"
        :min="4"
        :max="2900"
        @change="assume({ lens_mm35: $event ?? 35 })"
      />
      <div class="usual" role="group" aria-label="Usual lenses">
        <ElButton
          v-for="lens in USUAL"
          :key="lens"
          :class="{ on: survey.assumption.lens_mm35 === lens }"
          :data-lens="lens"
          @click="assume({ lens_mm35: lens })"
          >{{ lens }} mm</ElButton
        >
      </div>
      <NumberField
        id="assumed-eye"
        label="Eye above ground"
        :model-value="survey.assumption.eye_m"
        unit="m"
        :min="0.01"
        :max="9000"
        @change="assume({ eye_m: $event ?? 1.6 })"
      />
      <p v-if="standsIn('horizon')" class="quiet">Take the Horizon tool and drag the line by its middle or its ends.</p>
      <ElButton class="plain" data-find-edges :disabled="finding" @click="find">Find edges</ElButton>
      <ElButton class="plain" data-stop-assuming @click="assume(null)">Stop assuming</ElButton>
    </template>
  </section>
</template>

<style scoped>
.usual {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  margin: 4px 0;
}
.usual button {
  margin-right: -1px;
  padding: 4px 0;
}
</style>
