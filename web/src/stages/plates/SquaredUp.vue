<script setup lang="ts">
/** A face taken out squared up, to be painted on anywhere, and brought back onto the chosen plate. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { formOf, type Plate } from '../../api/client'
import FileButton from '../../ledger/FileButton.vue'
import { useShot } from '../../state/shot'
import { facesOf } from './faces'
import { straightFace } from './steps'

const props = defineProps<{ plate: Plate }>()
const s = useShot()
const face = ref('')
const form = ref<'png16' | 'exr'>('png16')
const faces = computed(() => facesOf(s))
const link = computed(
  () => `/api/shots/${s.id}/plates/${props.plate.id}/squared?face=${encodeURIComponent(face.value)}&form=${form.value}`,
)
const save = () => window.location.assign(link.value)
const bring = (chosen: File) =>
  s.change('POST', `/plates/${props.plate.id}/painted?face=${encodeURIComponent(face.value)}`, formOf([chosen]))
</script>

<template>
  <section class="section" data-squared>
    <h2>Squared up</h2>
    <ElSelect
      v-model="face"
      size="small"
      aria-label="Squared up on which face"
      placeholder="The plate's own canvas"
      clearable
      style="width: 100%"
    >
      <ElOption v-for="x in faces" :key="x.id" :value="x.id" :label="`${x.name}, squared up`" />
    </ElSelect>
    <div class="row">
      <ElButton v-if="face" data-beside @click="straightFace = face">Open it beside</ElButton>
      <ElButton v-if="face" data-squared-out @click="save">Save it squared up</ElButton>
      <FileButton mark="painted" accept="image/*,.exr,.tif,.tiff" @chosen="bring">Bring a painted picture</FileButton>
    </div>
    <p v-if="face" class="quiet">Its throws as they lie, at true scale, 16 bit; bare places are clear.</p>
  </section>
</template>

<style scoped>
.row {
  margin-top: 6px;
}
p {
  margin: 6px 0 0;
}
</style>
