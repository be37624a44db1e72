<script setup lang="ts">
/** What a depth step goes by: the set, or a picture that is brought, with its metres. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { formOf, type Plate } from '../../api/client'
import FileButton from '../../ledger/FileButton.vue'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { changeStep, type Step } from './steps'

type Depth = Extract<Step, { do: 'depth' }>
const props = defineProps<{ plate: Plate; step: Depth }>()
const s = useShot()
const bring = (chosen: File) =>
  s.change('POST', `/plates/${props.plate.id}/steps/${props.step.id}/depth`, formOf([chosen]))
const set = (change: object) =>
  changeStep(s, props.plate.id, { ...props.step, picture: { ...props.step.picture!, ...change } })
</script>

<template>
  <p class="quiet">{{ step.picture ? 'By a depth picture:' : 'By the depth of the set.' }}</p>
  <template v-if="step.picture">
    <label class="said"
      >Nearer is
      <ElSelect
        :model-value="step.picture.nearer"
        size="small"
        aria-label="What is nearer on the depth picture"
        @change="(nearer: string) => set({ nearer })"
      >
        <ElOption value="bright" label="brighter" />
        <ElOption value="dark" label="darker" />
      </ElSelect>
    </label>
    <NumberField
      v-for="(label, key) in { near_m: 'Its nearest', far_m: 'Its farthest' }"
      :key="key"
      :label="label"
      :model-value="step.picture[key]"
      unit="m"
      :digits="2"
      :min="0"
      :max="1000000"
      @change="(v) => set({ [key]: v })"
    />
  </template>
  <div class="row">
    <FileButton mark="depth" accept="image/*,.exr,.tif,.tiff" @chosen="bring">{{
      step.picture ? 'Another depth picture' : 'By a depth picture'
    }}</FileButton>
    <ElButton v-if="step.picture" @click="changeStep(s, plate.id, { ...step, picture: null })">By the set</ElButton>
  </div>
</template>
