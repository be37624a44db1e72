<script setup lang="ts">
/** How the camera travels its path: its pace, what it keeps looking at, how steadily. The keys stay as they are. */
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import CarrierFields from './CarrierFields.vue'
import { endsInMotion, PACES, paceOf, withEnds } from './travel'

const s = useShot()
const move = computed(() => s.shot.move)
const set = (change: object) =>
  s.change('PATCH', '/travel', change, (shot) => ({ ...shot, move: { ...shot.move, ...change } }))
const span = computed((): [number, number] => [s.keys[0]?.frame ?? 1, s.keys.at(-1)?.frame ?? 2])
const pace = computed(() => paceOf(move.value.speed, span.value))
/** A pace, or whether the ends are in motion, or both: one change, one step back. */
const setEnds = (inMotion: boolean, change: object = {}) =>
  s.change('PATCH', '/travel', { ...change, in_motion: inMotion }, (shot) => ({
    ...shot,
    move: { ...shot.move, ...change, keys: withEnds(shot.move.keys, inMotion) },
  }))
const setPace = (name: string) => {
  const change = { speed: PACES[name]?.curve(span.value) ?? null }
  return PACES[name]?.inMotion ? setEnds(true, change) : set(change)
}
const inMotion = computed(() => endsInMotion(s.keys))
/** One handle of the speed curve moved: its progress, kept between its neighbours. */
function setHandle(i: number, percent: number) {
  const curve = move.value.speed!
  const low = curve[i - 1]?.[1] ?? 0
  const high = curve[i + 1]?.[1] ?? 1
  const progress = Math.min(high, Math.max(low, percent / 100))
  void set({ speed: curve.map((h, j) => (j === i ? [h[0], progress] : h)) })
}
const aim = computed(() => move.value.aim?.solid ?? (move.value.aim?.at ? 'point' : 'none'))
const setAim = (id: string) => set({ aim: id === 'none' ? null : { at: null, solid: id } })
const sway = computed(() => move.value.sway)
const STEADY = { frequency_hz: 0.6, position_m: [0, 0, 0], rotation_deg: [0, 0, 0], seed: 1, fade_frames: 12 }
const swayed = (change: object) => set({ sway: { ...STEADY, ...sway.value, ...change } })
const amount = computed(() => sway.value?.rotation_deg[0] ?? 0)
const centimetres = computed(() => 100 * (sway.value?.position_m[0] ?? 0))
const solids = computed(() => s.shot.solids.map((x) => ({ id: x.id, name: x.name })))
</script>

<template>
  <section class="section" data-travel>
    <h2>How it travels</h2>
    <label class="said"
      >Pace
      <ElSelect :model-value="pace" size="small" aria-label="Pace" @change="setPace">
        <ElOption v-for="(p, name) in PACES" :key="name" :value="name" :label="p.label" />
        <ElOption v-if="pace === 'own'" value="own" label="a curve of its own" disabled />
      </ElSelect>
    </label>
    <NumberField
      v-for="(h, i) in move.speed ?? []"
      :key="i"
      :label="`By frame ${h[0].toFixed(0)}`"
      :model-value="100 * h[1]"
      unit="% of the way"
      :digits="1"
      :min="0"
      :max="100"
      @change="(v) => setHandle(i, v!)"
    />
    <ElCheckbox
      v-if="inMotion !== null"
      :model-value="inMotion"
      title="Off: the camera starts and stops at rest"
      @change="(v) => setEnds(v as boolean)"
      >Starts and ends in motion</ElCheckbox
    >
    <label class="said"
      >Aim
      <ElSelect :model-value="aim" size="small" aria-label="What the camera keeps looking at" @change="setAim">
        <ElOption value="none" label="as the keys look" />
        <ElOption v-if="aim === 'point'" value="point" label="a point" disabled />
        <ElOption v-for="x in solids" :key="x.id" :value="x.id" :label="x.name" />
      </ElSelect>
    </label>
    <NumberField
      v-if="move.aim"
      label="Aimed by"
      :model-value="100 * move.aim_share"
      unit="%"
      :digits="0"
      :min="0"
      :max="100"
      @change="(v) => set({ aim_share: v! / 100 })"
    />
    <NumberField
      label="Sway, turning"
      :model-value="amount"
      unit="°"
      :min="0"
      :max="10"
      @change="(v) => swayed({ rotation_deg: [v!, 0.8 * v!, 0.5 * v!] })"
    />
    <NumberField
      label="Sway, moving"
      :model-value="centimetres"
      unit="cm"
      :min="0"
      :max="100"
      @change="(v) => swayed({ position_m: [v! / 100, (0.6 * v!) / 100, v! / 100] })"
    />
    <template v-if="sway">
      <NumberField
        label="Sway about"
        :model-value="sway.frequency_hz"
        unit="Hz"
        :min="0.01"
        :max="60"
        @change="(v) => swayed({ frequency_hz: v! })"
      />
      <NumberField
        label="Fades over"
        :model-value="sway.fade_frames"
        unit="f"
        :digits="0"
        :min="0"
        :max="100000"
        @change="(v) => swayed({ fade_frames: v! })"
      />
      <div class="row">
        <ElButton @click="swayed({ seed: sway.seed + 1 })">Another sway</ElButton>
        <ElButton class="plain" @click="set({ sway: null })">No sway</ElButton>
      </div>
    </template>
    <CarrierFields />
    <p v-if="move.speed || move.aim || move.sway || move.carrier" class="quiet">
      The keys lie under this; one that you set stands so that it is seen where you put it.
      <ElButton class="plain" @click="set({ speed: null, aim: null, sway: null, carrier: null })">Take it off</ElButton>
    </p>
  </section>
</template>
