<script setup lang="ts">
/** The steps of a plate in their order: switched, moved, opened, taken out; one more put in. */
import { ElButton, ElCheckbox, ElOption, ElOptionGroup, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Plate } from '../../api/client'
import { useShot } from '../../state/shot'
import { drawing, loopOf } from './outline'
import StepFields from './StepFields.vue'
import {
  addStep,
  fresh,
  MATTES,
  moveStep,
  openStep,
  PICTURES,
  removeStep,
  summary,
  switchStep,
  TITLES,
  upToHere,
  type Kind,
  type Step,
} from './steps'

const props = defineProps<{ plate: Plate }>()
const s = useShot()
const steps = computed(() => props.plate.steps as Step[])
const choice = ref('')
/** What the steps have to say, asked for when the plate has changed. */
const notes = ref<Record<string, string[]>>({})
const covered = ref<number | null>(null)
const asking = ref(false)
const failed = ref<string | null>(null)
watch(
  () => [props.plate.id, s.state?.pictures[props.plate.id]] as const,
  async ([id, key]) => {
    asking.value = covered.value !== null // what was told is not of now any more; its place stays
    const response = await fetch(`/api/shots/${s.id}/plates/${id}/told?width=1200&of=${key}`).catch(() => null)
    const now = () => props.plate.id === id && s.state?.pictures[id] === key
    if (!response || !now()) return
    const said = (await response.json().catch(() => null)) as {
      detail?: string
      notes?: [string, string][]
      covered_percent?: number | null
    } | null
    if (!now()) return
    failed.value = response.ok ? null : (said?.detail ?? 'The plate could not be worked out.')
    notes.value = {}
    asking.value = false
    covered.value = said?.covered_percent ?? null
    for (const [step, sentence] of said?.notes ?? []) (notes.value[step] ??= []).push(sentence)
  },
  { immediate: true },
)
function add(kind: Kind) {
  choice.value = ''
  if (kind === 'outline') {
    loopOf.value = 'step'
    drawing.value = []
    return
  }
  if (kind === 'colour') {
    openStep.value = 'colour'
    return
  }
  const step = fresh(kind, s.shot, props.plate)
  if (!step) return
  openStep.value = step.id
  void addStep(s, props.plate.id, step)
}
</script>

<template>
  <section class="section" data-steps>
    <h2>Steps</h2>
    <p v-if="failed" class="wrong" role="alert">{{ failed }}</p>
    <p v-else-if="!steps.length" class="quiet">The source as it is. Steps are worked through from above.</p>
    <p v-else-if="asking || covered !== null" class="figure quiet">
      {{ asking ? 'Being worked out…' : `The matte covers ${covered!.toFixed(1)} % of the plate.` }}
    </p>
    <ol class="list">
      <li v-for="(x, i) in steps" :key="x.id" :class="{ open: openStep === x.id, off: x.off }" :data-step="x.do">
        <div class="head">
          <ElCheckbox
            :model-value="!x.off"
            :aria-label="`${TITLES[x.do]} on`"
            @change="(on) => switchStep(s, plate.id, x.id, !on)"
          />
          <ElButton class="name" @click="openStep = openStep === x.id ? null : x.id">
            <span>{{ x.name ?? TITLES[x.do] }}</span>
            <span class="figure quiet">{{ summary(x, s.shot) }}</span>
          </ElButton>
        </div>
        <p v-for="n in notes[x.id]" :key="n" class="note">{{ n }}</p>
        <template v-if="openStep === x.id">
          <StepFields :plate="plate" :step="x" />
          <div class="row">
            <ElButton :disabled="i === 0" @click="moveStep(s, plate.id, x.id, i - 1)">Earlier</ElButton>
            <ElButton :disabled="i === steps.length - 1" @click="moveStep(s, plate.id, x.id, i + 1)">Later</ElButton>
            <ElButton class="plain" @click="removeStep(s, plate.id, x.id)">Take out</ElButton>
          </div>
          <ElCheckbox v-model="upToHere">Show the plate as it is after this step</ElCheckbox>
        </template>
      </li>
    </ol>
    <p v-if="openStep === 'colour'" class="note" role="status">Click on the picture for the colour.</p>
    <div data-add-step>
      <ElSelect
        v-model="choice"
        size="small"
        placeholder="Add a step"
        aria-label="Add a step"
        style="width: 100%"
        @change="add"
      >
        <ElOptionGroup label="to the matte">
          <ElOption
            v-for="k in MATTES"
            :key="k"
            :value="k"
            :label="TITLES[k]"
            :disabled="k !== 'outline' && k !== 'colour' && !fresh(k, s.shot, plate)"
          />
        </ElOptionGroup>
        <ElOptionGroup label="to the picture">
          <ElOption v-for="k in PICTURES" :key="k" :value="k" :label="TITLES[k]" />
        </ElOptionGroup>
      </ElSelect>
    </div>
  </section>
</template>

<style scoped>
.list {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.list li {
  border-bottom: 1px solid var(--rule);
  padding-bottom: 2px;
}
.list li.open {
  background: #dcd8cc;
}
.list li.off .name {
  opacity: 0.55;
}
.head {
  display: flex;
  align-items: center;
  gap: 4px;
}
.name {
  flex: 1;
  min-width: 0;
  display: flex;
  gap: 8px;
  border: 0;
  padding: 6px 2px;
  text-align: left;
  font-weight: 400;
}
.name span:first-child {
  flex: none;
}
.name .figure {
  flex: 1;
  text-align: right;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.note {
  margin: 0 0 4px 20px;
  color: #7a4a00;
}
.wrong {
  color: var(--action);
}
.row {
  padding: 0 6px 6px;
}
</style>
