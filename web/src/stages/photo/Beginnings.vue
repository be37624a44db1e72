<script setup lang="ts">
/** An empty shot: three ways to begin, by what picture there is. */
import { ElButton } from 'element-plus'
import { reactive, ref } from 'vue'
import NumberField from '../../ledger/NumberField.vue'
import { EVEN, EVENLY, useBeginning, type Spread } from './beginning'

const emit = defineEmits<{ photo: []; begin: [files: File[], how: Spread] }>()
defineProps<{ busy: boolean }>()
const { under } = useBeginning()
const how = reactive<Spread>({ ...EVEN })
const one = ref<HTMLInputElement>()
const several = ref<HTMLInputElement>()
function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  if (input.files?.length) emit('begin', [...input.files], { ...how })
  input.value = ''
}
defineExpose({ how })
</script>

<template>
  <div v-if="under" class="empty" data-under-way>
    <p>{{ under.doing || 'Beginning' }}… {{ Math.round(100 * under.progress) }} %</p>
  </div>
  <div v-else class="ways">
    <p class="first-line">Bring the photograph that the move starts or ends on, or begin with what there is.</p>
    <section>
      <svg viewBox="0 0 120 70" aria-hidden="true">
        <path class="deep" d="M8 62V22l46 -12v52M54 10l58 20v32M8 62h104" />
        <path class="mark" d="M8 22l46 -12M54 10l58 20M54 10v52" />
      </svg>
      <h2>A photograph with straight edges</h2>
      <p>Its edges are found and give the camera, with its error. The file’s focal length counts as a measurement.</p>
      <ElButton class="main" :disabled="busy" @click="emit('photo')">
        {{ busy ? 'Reading the photo…' : 'Bring a photo…' }}
      </ElButton>
      <p class="hint">JPEG, PNG, TIFF, OpenEXR, WebP or AVIF; or drop it here.</p>
    </section>
    <section>
      <svg viewBox="0 0 120 70" aria-hidden="true">
        <path class="deep" d="M4 46q18 -22 36 -8t30 -10t46 6v32h-112z" />
        <path class="mark" d="M4 44h112" stroke-dasharray="5 4" />
      </svg>
      <h2>A picture without edges</h2>
      <p>A painting, a portrait, a misty valley: the camera is assumed, level, and a first move is made.</p>
      <ElButton :disabled="busy" @click="one?.click()">Begin from it…</ElButton>
      <input
        ref="one"
        type="file"
        data-begin-one
        accept=".jpg,.jpeg,.png,.tif,.tiff,.exr,.webp,.avif,.svg,.mp4,.webm"
        hidden
        @change="chosen"
      />
    </section>
    <section>
      <svg viewBox="0 0 120 70" aria-hidden="true">
        <path class="deep" d="M40 6h74v36h-74zM24 16h74v36h-74z" />
        <path class="mark" d="M8 26h74v36h-74z" />
      </svg>
      <h2>Pictures that are cut out already</h2>
      <p>
        Several with alpha, first the nearest, drawings (SVG) among them, or one layered file (OpenRaster, TIFF): each
        stands as a flat.
      </p>
      <div class="figures">
        <NumberField v-model="how.near" label="Nearest" unit="m" :min="0.05" @change="how.near = $event ?? 4" />
        <NumberField v-model="how.far" label="Farthest" unit="m" :min="0.1" @change="how.far = $event ?? 40" />
        <label class="row"
          ><span>Spread by</span>
          <select v-model="how.spread" data-spread>
            <option v-for="(name, key) in EVENLY" :key="key" :value="key">{{ name }}</option>
          </select></label
        >
      </div>
      <ElButton :disabled="busy" @click="several?.click()">Begin from layers…</ElButton>
      <input
        ref="several"
        type="file"
        data-begin-layers
        multiple
        accept=".png,.tif,.tiff,.webp,.ora,.svg,.mp4,.webm"
        hidden
        @change="chosen"
      />
    </section>
  </div>
</template>

<style scoped>
.ways {
  position: absolute;
  inset: 0;
  overflow: auto;
  background: var(--paper);
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  align-content: center;
  gap: 32px;
  padding: 32px;
}
.first-line {
  grid-column: 1 / -1;
  font-size: 16px;
}
.ways section {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 10px;
  border-top: 1px solid var(--ink);
  padding-top: 14px;
}
svg {
  width: 120px;
  fill: none;
  stroke-width: 1.6;
}
.deep {
  stroke: var(--ink-soft);
  fill: var(--paper-deep);
}
.mark {
  stroke: #b5432a;
  fill: none;
  stroke-width: 2.2;
}
h2 {
  margin: 0;
  border: 0;
  padding: 0;
  font: 600 18px/1.2 var(--label);
  letter-spacing: 0;
  text-transform: none;
}
p {
  font-size: 14px;
  line-height: 1.4;
}
.hint {
  color: var(--ink-soft);
  font-size: 13px;
}
.figures {
  width: 100%;
  max-width: 260px;
}
</style>
