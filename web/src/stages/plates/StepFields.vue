<script setup lang="ts">
/** What can be said of one step: its figures, what it acts on, and how. */
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Plate, Vec2 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { softOf } from './curve'
import DepthPicture from './DepthPicture.vue'
import { facesOf } from './faces'
import { drawing, loopOf } from './outline'
import {
  brush,
  changeStep,
  FIGURES,
  HOWS,
  madeOf,
  MODES,
  removeStroke,
  settingSource,
  straightFace,
  strokesOf,
  type Field,
  type Step,
} from './steps'
import { softened, takenLast } from './useOutlineHand'

const props = defineProps<{ plate: Plate; step: Step }>()
const PICTURE = '(picture)'
const s = useShot()
const figures = computed(() => FIGURES[props.step.do] ?? [])
const figure = (f: Field) => (props.step as unknown as Record<string, number>)[f.key]
const set = (change: object) => changeStep(s, props.plate.id, { ...props.step, ...change } as Step)
/** Figures that do not fit yet, since another one limits them: they wait for it, and nothing is refused. */
const waits = ref<Record<string, number>>({})
watch(
  () => props.step.id,
  () => (waits.value = {}),
)
const late = computed(() => figures.value.filter((f) => f.key in waits.value))
function setFigure(key: string, value: number) {
  const given = { ...waits.value, [key]: value }
  const next = { ...props.step, ...given }
  if (next.do === 'depth' && next.far_m <= next.near_m) {
    waits.value = given
    return true
  }
  waits.value = {}
  return set(given)
}
const solids = computed(() => s.shot.solids.map((x) => ({ id: x.id, name: x.name })))
const faces = computed(() => facesOf(s))
const others = computed(() =>
  s.shot.plates.filter((p) => p.id !== props.plate.id && !madeOf(s.shot, p, props.plate.id)),
)
const photos = computed(() => s.shot.photos.filter((p) => p.id !== props.plate.photo && p.camera))
const drawn = computed(() => ['brush', 'clone', 'heal'].includes(props.step.do) || wherekind.value === 'drawn')
const strokes = computed(() => strokesOf(props.step))
const wherekind = computed(() => {
  if (props.step.do !== 'fill') return null
  if (!Array.isArray(props.step.where)) return 'before'
  if (props.step.where.length > 1) return 'steps'
  return props.step.where[0]?.do === 'plate' ? 'plate' : 'drawn'
})
const base = { id: 'w1', name: null, off: false, mode: 'add' as const }
function setWhere(kind: string) {
  const solid = solids.value.find((x) => !s.shot.solids.some((y) => y.id === x.id && y.kind === 'flat'))
  if (kind === 'before' && solid) void set({ where: { in_front_of: [solid.id], but: [] } })
  if (kind === 'plate' && others.value[0]) void set({ where: [{ ...base, do: 'plate', plate: others.value[0].id }] })
  if (kind === 'drawn') void set({ where: [{ ...base, do: 'brush', strokes: [] }] })
}
function setBefore(change: object) {
  if (props.step.do === 'fill') void set({ where: { ...props.step.where, ...change } })
}
function takeBack() {
  const last = strokes.value.at(-1)
  if (last) void removeStroke(s, props.plate.id, props.step.id, last.id ?? '')
}
/** The point of this outline that was taken last. */
const own = computed(() => {
  const last = takenLast.value
  const step = props.step
  if (step.do !== 'outline' || last?.step !== step.id || last.plate !== props.plate.id) return null
  const loop = step.loops[last.loop]
  if (!loop || last.index >= loop.points.length) return null
  return { ...last, soft: softOf(loop.points as Vec2[], loop.smooth)[last.index] }
})
function softenOwn() {
  if (!own.value || props.step.do !== 'outline') return
  const { loop, index } = own.value
  set({ loops: props.step.loops.map((l, i) => (i === loop ? softened(l, index) : l)) })
}
</script>

<template>
  <div class="fields">
    <ElSelect
      v-if="'mode' in step"
      :model-value="step.mode"
      size="small"
      aria-label="What it does to the matte"
      @change="(mode: string) => set({ mode })"
    >
      <ElOption v-for="(label, mode) in MODES" :key="mode" :value="mode" :label="label" />
    </ElSelect>

    <template v-if="step.do === 'colour'">
      <p class="quiet">Click on the picture for the colour; with Shift for one more.</p>
      <ElCheckbox :model-value="step.joined" @change="(joined) => set({ joined })">Only what hangs together</ElCheckbox>
    </template>
    <template v-if="step.do === 'outline'">
      <p class="quiet">
        Drag a point to move it. Double-click the line to add one. Press S during the drag, or Shift-click a point, to
        make it smooth or sharp. Of many points, those near the pointer are shown. A loop within it is a hole.
      </p>
      <ElCheckbox v-if="own" :model-value="own.soft" data-own-smooth @change="softenOwn"
        >The point taken last is smooth</ElCheckbox
      >
      <ElCheckbox
        :model-value="step.loops.every((l) => l.smooth === true)"
        @change="(smooth) => set({ loops: step.do === 'outline' ? step.loops.map((l) => ({ ...l, smooth })) : [] })"
        >All of them smooth</ElCheckbox
      >
      <ElButton @click="((loopOf = step.id), (drawing = []))">Draw another loop</ElButton>
    </template>
    <DepthPicture v-if="step.do === 'depth'" :plate="plate" :step="step" />
    <ElSelect
      v-if="step.do === 'silhouette'"
      :model-value="step.targets"
      multiple
      filterable
      collapse-tags
      size="small"
      aria-label="Of which pieces"
      @change="(targets: string[]) => targets.length && set({ targets })"
    >
      <ElOption v-for="x in solids" :key="x.id" :value="x.id" :label="x.name" />
    </ElSelect>
    <ElSelect
      v-if="step.do === 'plate'"
      :model-value="step.plate"
      filterable
      size="small"
      aria-label="Of which plate"
      @change="(plate: string) => set({ plate })"
    >
      <ElOption v-for="x in others" :key="x.id" :value="x.id" :label="x.name" />
    </ElSelect>

    <template v-if="step.do === 'fill'">
      <label class="said"
        >Where
        <ElSelect :model-value="wherekind" size="small" aria-label="Where it is filled" @change="setWhere">
          <ElOption value="before" label="what stands before surfaces" />
          <ElOption value="plate" label="the matte of a plate" :disabled="!others.length" />
          <ElOption value="drawn" label="where it is drawn" />
          <ElOption v-if="wherekind === 'steps'" value="steps" label="a matte of its own" disabled />
        </ElSelect>
      </label>
      <template v-if="!Array.isArray(step.where)">
        <ElSelect
          :model-value="step.where.in_front_of"
          multiple
          filterable
          collapse-tags
          size="small"
          aria-label="Before which surfaces"
          @change="(ids: string[]) => ids.length && setBefore({ in_front_of: ids })"
        >
          <ElOption v-for="x in solids" :key="x.id" :value="x.id" :label="x.name" />
          <ElOption v-for="x in faces" :key="x.id" :value="x.id" :label="x.name" />
        </ElSelect>
        <label v-if="others.length" class="said" title="They are filled by a step of their own, or stay as they are"
          >But not
          <ElSelect
            :model-value="step.where.but"
            multiple
            filterable
            collapse-tags
            size="small"
            placeholder="nothing left out"
            aria-label="But not where these plates are"
            @change="(but: string[]) => setBefore({ but })"
          >
            <ElOption v-for="x in others" :key="x.id" :value="x.id" :label="x.name" />
          </ElSelect>
        </label>
      </template>
      <ElSelect
        v-if="wherekind === 'plate' && Array.isArray(step.where) && step.where[0].do === 'plate'"
        :model-value="step.where[0].plate"
        filterable
        size="small"
        aria-label="The matte of which plate"
        @change="(plate: string) => set({ where: [{ ...base, do: 'plate', plate }] })"
      >
        <ElOption v-for="x in others" :key="x.id" :value="x.id" :label="x.name" />
      </ElSelect>
      <label class="said"
        >With
        <ElSelect
          :model-value="step.how"
          size="small"
          aria-label="What it is filled with"
          @change="(how: string) => set(how === 'photo' ? { how, photo: photos[0]?.id ?? null } : { how })"
        >
          <ElOption
            v-for="(label, how) in HOWS"
            :key="how"
            :value="how"
            :label="label"
            :disabled="how === 'photo' && !photos.length"
          />
        </ElSelect>
      </label>
      <ElSelect
        v-if="step.how === 'photo'"
        :model-value="step.photo"
        size="small"
        aria-label="From which photo"
        @change="(photo: string) => set({ photo })"
      >
        <ElOption v-for="x in photos" :key="x.id" :value="x.id" :label="x.name" />
      </ElSelect>
      <ElButton
        v-if="step.how !== 'photo'"
        data-another
        @click="set({ seed: (step.do === 'fill' ? step.seed : 0) + 1 })"
      >
        Try another ({{ step.seed + 1 }})
      </ElButton>
    </template>

    <label v-if="'on' in step" class="said"
      >Laid
      <ElSelect
        :model-value="step.on ?? PICTURE"
        size="small"
        aria-label="On the picture or on a face"
        @change="(on: string) => set({ on: on === PICTURE ? null : on, ...('strokes' in step ? { strokes: [] } : {}) })"
      >
        <ElOption :value="PICTURE" label="on the picture" />
        <ElOption v-for="x in faces" :key="x.id" :value="x.id" :label="`on ${x.name}, squared up`" />
      </ElSelect>
    </label>

    <ElButton v-if="'on' in step && step.on && straightFace !== step.on" @click="straightFace = step.on">
      Work on it squared up, beside
    </ElButton>
    <template v-if="step.do === 'clone' || step.do === 'heal'">
      <ElButton :class="{ main: settingSource }" @click="settingSource = !settingSource">
        {{ settingSource ? 'Click on the picture where it is taken from' : 'Set where it is taken from' }}
      </ElButton>
      <p class="figure quiet">
        {{
          step.on
            ? `${(step.offset_m ?? [0, 0]).map((v) => v.toFixed(2)).join(', ')} m away along the face`
            : `${step.offset.map((v) => v.toFixed(0)).join(', ')} px away`
        }}
      </p>
    </template>

    <NumberField
      v-for="f in figures"
      :key="f.key"
      :label="f.label"
      :model-value="waits[f.key] ?? figure(f)"
      :unit="f.unit"
      :digits="f.digits"
      :min="f.min"
      :max="f.max"
      @change="(v) => setFigure(f.key, v!)"
    />
    <p v-if="late.length" class="sentence" role="status" data-waits>
      {{ late[0].label }} {{ waits[late[0].key] }} m waits: Nearest must be less than Farthest.
    </p>
    <template v-if="step.do === 'grade'">
      <div v-for="(label, key) in { slope: 'Slope', offset: 'Offset', power: 'Power' }" :key="key" class="rgb">
        <NumberField
          v-for="(c, i) in ['R', 'G', 'B']"
          :key="c"
          :label="`${label} ${c}`"
          :model-value="step[key][i]"
          :digits="3"
          :min="key === 'offset' ? -10 : key === 'power' ? 0.01 : 0"
          :max="10"
          @change="(v) => set({ [key]: step.do === 'grade' ? step[key].map((x, j) => (j === i ? v : x)) : [] })"
        />
      </div>
    </template>

    <template v-if="drawn">
      <p class="quiet">Draw on the picture; , and . change the radius.</p>
      <NumberField
        label="Brush radius"
        :model-value="brush.radius"
        unit="px"
        :digits="0"
        :min="1"
        :max="2000"
        @change="brush.radius = $event!"
      />
      <NumberField
        label="Hardness"
        :model-value="brush.hardness * 100"
        unit="%"
        :digits="0"
        :min="0"
        :max="100"
        @change="brush.hardness = $event! / 100"
      />
      <ElButton :disabled="!strokes.length" @click="takeBack">Take the last stroke away</ElButton>
    </template>
  </div>
</template>

<style scoped>
.fields {
  padding: 4px 6px 10px;
  display: grid;
  gap: 7px;
}
.fields p {
  margin: 0;
}
.rgb {
  display: grid;
  gap: 2px;
}
</style>
