<script setup lang="ts">
/** The plates, what is done to the chosen one, and what is thrown on what. */
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { stays } from '../../hand/choice'
import FileButton from '../../ledger/FileButton.vue'
import NumberField from '../../ledger/NumberField.vue'
import TextField from '../../ledger/TextField.vue'
import { useShot } from '../../state/shot'
import { drawing, feather, grow, loopOf, remove, rename } from './outline'
import PlateTag from './PlateTag.vue'
import SourceFields from './SourceFields.vue'
import { DARK, plateOfFile } from './sources'
import SquaredUp from './SquaredUp.vue'
import StepList from './StepList.vue'
import { HOWS, openStep, reach, upToHere } from './steps'
import ThrowList from './ThrowList.vue'

const s = useShot()
const ROLES = { photo: 'the photo', foreground: 'foreground', clean: 'clean plate', added: 'added' }
const MANY = 10 // plates from which on a list has a filter
const filter = ref('')
const listed = computed(() =>
  s.shot.plates.filter((p) => p.name.toLowerCase().includes(filter.value.trim().toLowerCase())),
)
const how = ref<'texture' | 'smooth' | 'along' | `take:${string}`>('texture')
/** Other photos of the same camera: taken without what is cut out, they show what is behind it. */
const takes = computed(() =>
  s.shot.photos.filter(
    (p) => p.id !== photo.value?.id && p.camera && JSON.stringify(p.camera) === JSON.stringify(photo.value?.camera),
  ),
)
const filling = computed(() => {
  const take = takes.value.find((p) => how.value === `take:${p.id}`)
  if (take) return { how: 'texture' as const, take: take.id }
  return { how: how.value === 'smooth' || how.value === 'along' ? how.value : ('texture' as const), take: null }
})
const clean = computed(() => s.shot.plates.find((p) => p.clean_of && p.clean_of === s.plateId) ?? null)
const grown = computed(() => {
  const fill = clean.value?.steps.find((x) => x.do === 'fill')
  return fill?.do === 'fill' && fill.grow_px ? fill.grow_px : grow.value
})
const photo = computed(() => s.shot.photos.find((p) => p.id === s.plate?.photo) ?? s.homePhoto ?? s.photo)
const before = computed(() => !!photo.value?.camera?.position && s.shot.solids.length > 1)
watch(
  () => s.plateId,
  () => {
    openStep.value = null
    upToHere.value = false
  },
)
const named = (text: string) => {
  if (text.trim() && text.trim() !== s.plate!.name) void rename(s, s.plate!.id, text.trim())
}
/** Begin an outline, of no plate as yet. */
function startDrawing() {
  loopOf.value = null
  drawing.value = []
  s.plateId = null
}
/** A plate over the whole photo, its matte still to be made; or a plain tone there. */
async function startPlate(tone?: typeof DARK) {
  const there = new Set(s.shot.plates.map((p) => p.id))
  const mine = stays(() => s.plateId)
  if ((await s.change('POST', '/plates/new', { photo: photo.value!.id, ...(tone ? { tone } : {}) })) && mine())
    s.plateId = s.shot.plates.find((p) => !there.has(p.id))?.id ?? null
}
const cleanAll = () => s.work('/clean', { photo: photo.value!.id, grow_px: grow.value, ...filling.value })
</script>

<template>
  <div>
    <section class="section">
      <h2>Plates</h2>
      <ElInput
        v-if="s.shot.plates.length > MANY"
        v-model="filter"
        size="small"
        placeholder="Filter by name"
        aria-label="Filter plates by name"
        clearable
      />
      <table class="facts" data-plates>
        <tbody>
          <tr
            v-for="p in listed"
            :key="p.id"
            class="pick"
            :class="{ chosen: p.id === s.plateId }"
            tabindex="0"
            @click="s.plateId = p.id"
            @keydown.enter="s.plateId = p.id"
          >
            <td><PlateTag :plate="p.id" /> {{ p.name }}</td>
            <td class="quiet kind">{{ ROLES[p.role] }}</td>
          </tr>
        </tbody>
      </table>
      <div class="row" style="margin-top: 8px">
        <ElButton
          v-if="!drawing"
          :class="{ main: s.shot.plates.length < 2 }"
          :disabled="!s.photo"
          @click="startDrawing"
        >
          Outline a foreground piece
        </ElButton>
        <ElButton v-else @click="drawing = null">Give up the outline</ElButton>
        <ElButton v-if="!drawing" :disabled="!photo" @click="startPlate()">A plate of the photo</ElButton>
        <FileButton
          v-if="!drawing"
          mark="plate"
          accept="image/*,video/*,.exr,.tif,.tiff,.mkv,.svg"
          :disabled="!photo"
          @chosen="(file) => plateOfFile(s, photo!.id, file)"
          >A picture or a video</FileButton
        >
        <ElButton v-if="!drawing" :disabled="!photo" data-tone @click="startPlate(DARK)">A plain tone</ElButton>
      </div>
      <NumberField
        v-if="drawing"
        label="Feather"
        :model-value="feather"
        unit="px"
        :digits="1"
        :min="0"
        :max="200"
        @change="feather = $event!"
      />
    </section>

    <section v-if="s.plate" class="section">
      <h2>{{ ROLES[s.plate.role] }}</h2>
      <TextField label="Name" :model-value="s.plate.name" @change="named" />
      <p class="figure quiet">
        {{ reach(s.plate)[2] }} × {{ reach(s.plate)[3] }} px at {{ reach(s.plate)[0] }}, {{ reach(s.plate)[1] }}
      </p>
    </section>
    <SourceFields v-if="s.plate" :key="`source-${s.plate.id}`" :plate="s.plate" />
    <StepList v-if="s.plate" :key="s.plate.id" :plate="s.plate" />

    <SquaredUp v-if="s.plate" :plate="s.plate" />
    <section v-if="s.plate?.role === 'foreground' || before" class="section">
      <h2>Clean plates</h2>
      <NumberField
        id="grow"
        label="Matte grown by"
        :model-value="grown"
        unit="px"
        :digits="1"
        :min="0"
        :max="500"
        @change="
          (v) => {
            grow = v!
            if (clean) void s.work(`/plates/${s.plate!.id}/clean`, { grow_px: v!, ...filling })
          }
        "
      />
      <ElSelect v-model="how" size="small" aria-label="What clean plates are filled with" style="width: 100%">
        <ElOption v-for="h in ['texture', 'smooth', 'along'] as const" :key="h" :value="h" :label="HOWS[h]" />
        <ElOption v-for="p in takes" :key="p.id" :value="`take:${p.id}`" :label="`what ${p.name} shows there`" />
      </ElSelect>
      <p v-if="filling.take" class="quiet">
        Behind cut-outs, what that photo shows; behind solids, which stand in both, texture.
      </p>
      <div class="row" style="margin-top: 6px">
        <ElButton
          v-if="s.plate?.role === 'foreground'"
          class="sure"
          data-clean
          @click="s.work(`/plates/${s.plate!.id}/clean`, { grow_px: grown, ...filling })"
        >
          {{ clean ? 'Make the clean plate again' : 'Make the clean plate behind it' }}
        </ElButton>
        <ElButton v-if="before" data-clean-all @click="cleanAll">Clean plates for all surfaces</ElButton>
      </div>
    </section>
    <section v-if="s.plate && s.plate.role !== 'photo'" class="section">
      <ElButton class="plain" @click="remove(s, s.plate!.id)">Remove this plate</ElButton>
    </section>
    <ThrowList />
  </div>
</template>

<style scoped>
.kind {
  text-align: right;
  white-space: nowrap;
}
</style>
