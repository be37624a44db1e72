<script setup lang="ts">
/** Where a plate's source lies in its photo, how its video runs, what its tone is. */
import { ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api, got, type Plate, type Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { facesOf } from './faces'
import { AFTER, changeTone, hex, ownFile, placeOver, placePlate, rgbOf, runVideo, type Tone } from './sources'

const props = defineProps<{ plate: Plate }>()
const s = useShot()
const facts = ref<Schemas['ClipFacts'] | null>(null)
const surfaces = computed(() => [
  ...s.shot.solids.filter((x) => x.kind === 'flat').map((x) => ({ id: x.id, name: x.name })),
  ...facesOf(s),
])
const over = ref('')
watch(
  () => [props.plate.id, props.plate.file, !!props.plate.video],
  async () => {
    facts.value = null
    const id = props.plate.id
    if (!props.plate.video) return
    const path = { shot_id: s.id, plate_id: id }
    const found = await got<Schemas['ClipFacts']>(
      api.GET('/api/shots/{shot_id}/plates/{plate_id}/video', { params: { path } }),
    ).catch(() => null)
    if (id === props.plate.id) facts.value = found
  },
  { immediate: true },
)
function lay(at: number, value: number) {
  const canvas = [...props.plate.canvas] as Plate['canvas']
  if (at === 2 && !props.plate.tone) canvas[3] *= value / canvas[2] // its shape stays
  canvas[at] = value
  void placePlate(s, props.plate.id, canvas)
}
function layOver(surface: string) {
  over.value = ''
  if (surface) void placeOver(s, props.plate.id, surface)
}
const setTone = (change: Partial<Tone>) => changeTone(s, props.plate.id, { ...props.plate.tone!, ...change })
const ENDS = { from: 'From', to: 'To' } as const
</script>

<template>
  <section v-if="ownFile(s, plate)" class="section" data-source>
    <template v-if="plate.video">
      <h2>Video</h2>
      <p v-if="facts" class="figure quiet" data-clip>
        {{ facts.pictures }} pictures, {{ facts.seconds.toFixed(2) }} s · {{ facts.width }} × {{ facts.height }} px{{
          facts.alpha ? ', with alpha' : ''
        }}
      </p>
      <NumberField
        label="Begins on frame"
        :model-value="plate.video.first ?? 1"
        unit="f"
        :digits="0"
        :min="-1000000"
        :max="1000000"
        @change="(v) => runVideo(s, plate.id, { ...plate.video!, first: v! })"
      />
      <NumberField
        label="Rate"
        :model-value="plate.video.rate ?? null"
        unit="/s"
        :digits="3"
        :min="0.001"
        :max="1000"
        :empty="facts ? `its own, ${Number(facts.rate.toFixed(3))}` : 'its own'"
        @change="(v) => runVideo(s, plate.id, { ...plate.video!, rate: v })"
      />
      <label class="said"
        >At its ends
        <ElSelect
          :model-value="plate.video.after"
          size="small"
          aria-label="Before its first and after its last picture"
          @change="(after: 'hold' | 'loop' | 'clear') => runVideo(s, plate.id, { ...plate.video!, after })"
        >
          <ElOption v-for="(label, after) in AFTER" :key="after" :value="after" :label="label" />
        </ElSelect>
      </label>
    </template>
    <template v-if="plate.tone">
      <h2>Tone</h2>
      <label v-for="(label, end) in ENDS" :key="end" class="tone"
        >{{ label }}
        <input
          type="color"
          :value="hex(plate.tone[end])"
          :aria-label="`Tone ${label.toLowerCase()}`"
          @change="(e) => setTone({ [end]: rgbOf((e.target as HTMLInputElement).value) })"
        />
      </label>
      <NumberField
        label="Direction"
        :model-value="plate.tone.angle_deg ?? 0"
        unit="°"
        :digits="1"
        :min="-360"
        :max="360"
        @change="(v) => setTone({ angle_deg: v! })"
      />
      <ElCheckbox
        :model-value="!!plate.tone.cloud"
        @change="(on) => setTone({ cloud: on ? { size_px: Math.round(plate.canvas[2] / 6), seed: 0 } : null })"
        >Soft cloud of the two</ElCheckbox
      >
      <NumberField
        v-if="plate.tone.cloud"
        label="Cloud's size"
        :model-value="plate.tone.cloud.size_px"
        unit="px"
        :digits="0"
        :min="2"
        :max="20000"
        @change="(v) => setTone({ cloud: { ...plate.tone!.cloud!, size_px: v! } })"
      />
      <NumberField
        v-if="plate.tone.cloud"
        label="Cloud number"
        :model-value="plate.tone.cloud.seed ?? 0"
        unit=""
        :digits="0"
        :min="0"
        :max="999999"
        @change="(v) => setTone({ cloud: { ...plate.tone!.cloud!, seed: v! } })"
      />
    </template>
    <h2>Place in the photo</h2>
    <NumberField
      v-for="(label, i) in ['Left', 'Top', 'Width']"
      :key="label"
      :label="label"
      :model-value="plate.canvas[i]"
      unit="px"
      :digits="1"
      :min="i === 2 ? 1 : -100000"
      :max="100000"
      @change="(v) => lay(i, v!)"
    />
    <NumberField
      v-if="plate.tone"
      label="Height"
      :model-value="plate.canvas[3]"
      unit="px"
      :digits="1"
      :min="1"
      :max="100000"
      @change="(v) => lay(3, v!)"
    />
    <ElSelect
      v-model="over"
      size="small"
      filterable
      placeholder="Lay it over a surface"
      aria-label="Lay it over a surface"
      style="width: 100%"
      @change="layOver"
    >
      <ElOption v-for="x in surfaces" :key="x.id" :value="x.id" :label="x.name" />
    </ElSelect>
  </section>
</template>

<style scoped>
h2:not(:first-child) {
  margin-top: 14px;
}
.tone {
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 3px 0;
}
.tone input {
  width: 56px;
  height: 24px;
  padding: 0;
  border: 1px solid var(--ink);
  background: none;
}
</style>
