<script setup lang="ts">
/** How a piece moves: keys at frames, drift, the lens that it faces, the carrier. */
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { aboutRise, at, REST, turned, type Motion } from './motion'

const s = useShot()
const chosen = ref<string | null>(null)
const movers = computed(() => s.shot.solids.filter((x) => x.motion))
const solid = computed(() => s.shot.solids.find((x) => x.id === chosen.value) ?? movers.value[0] ?? null)
const motion = computed<Motion | null>(() => solid.value?.motion ?? null)
const key = computed(() => motion.value?.keys.find((k) => k.frame === s.frame) ?? null)
const now = computed(() => at(motion.value, s.frame))
const set = (change: Partial<Motion>) => {
  const id = solid.value!.id
  const next: Motion = { ...REST, ...motion.value, ...change }
  return s.change('PUT', `/solids/${id}/motion`, { motion: next }, (shot) => ({
    ...shot,
    solids: shot.solids.map((x) => (x.id === id ? { ...x, motion: next } : x)),
  }))
}
function setKey(change: Partial<Schemas['MotionKey']>) {
  const keys = (motion.value?.keys ?? []).filter((k) => k.frame !== s.frame)
  const made = { ...now.value, ...change, frame: s.frame }
  void set({ keys: [...keys, made].sort((a, b) => a.frame - b.frame) })
}
const offset = (i: number, v: number) =>
  setKey({ offset: now.value.offset.map((x, j) => (j === i ? v : x)) as [number, number, number] })
const drift = (i: number, v: number) =>
  set({ drift: (motion.value?.drift ?? [0, 0, 0]).map((x, j) => (j === i ? v : x)) as [number, number, number] })
const AXES = ['run', 'rise', 'return']
const removeKey = () => set({ keys: motion.value!.keys.filter((k) => k.frame !== s.frame) })
const stand = () => s.change('PUT', `/solids/${solid.value!.id}/motion`, { motion: null })
</script>

<template>
  <section class="section" data-motion>
    <h2>Things that move</h2>
    <ElSelect
      :model-value="solid?.id ?? ''"
      size="small"
      filterable
      placeholder="Choose a piece"
      aria-label="Which piece moves"
      style="width: 100%"
      @change="(id: string) => (chosen = id)"
    >
      <ElOption v-for="x in s.shot.solids" :key="x.id" :value="x.id" :label="x.motion ? `${x.name} · moves` : x.name" />
    </ElSelect>
    <template v-if="solid">
      <p class="quiet">
        {{ key ? `Its key on frame ${s.frame}` : `Frame ${s.frame}` }}, from where it rests. Its picture goes with it.
      </p>
      <NumberField
        v-for="(axis, i) in AXES"
        :key="axis"
        :label="`Off along ${axis}`"
        :model-value="now.offset[i]"
        unit="m"
        :digits="3"
        @change="(v) => offset(i, v!)"
      />
      <NumberField
        label="Turned about rise"
        :model-value="aboutRise(now.rotation)"
        unit="°"
        @change="(v) => setKey({ rotation: turned(v!) })"
      />
      <NumberField
        label="Size"
        :model-value="now.scale"
        unit="×"
        :min="0.001"
        :max="1000"
        @change="(v) => setKey({ scale: v! })"
      />
      <NumberField
        v-if="solid.kind === 'flat'"
        label="Opacity"
        :model-value="100 * now.opacity"
        unit="%"
        :digits="0"
        :min="0"
        :max="100"
        @change="(v) => setKey({ opacity: v! / 100 })"
      />
      <NumberField
        v-for="(axis, i) in AXES"
        :key="`drift${axis}`"
        :label="`Drifts along ${axis}`"
        :model-value="motion?.drift[i] ?? 0"
        unit="m/s"
        @change="(v) => drift(i, v!)"
      />
      <ElSelect
        :model-value="motion?.faces_lens ?? 'no'"
        size="small"
        aria-label="Whether it faces the lens"
        style="width: 100%"
        @change="(v: 'no' | 'rise' | 'full') => set({ faces_lens: v })"
      >
        <ElOption value="no" label="keeps its own direction" />
        <ElOption value="rise" label="faces the lens, upright" />
        <ElOption value="full" label="faces the lens wholly" />
      </ElSelect>
      <ElCheckbox
        v-if="s.shot.move.carrier"
        :model-value="motion?.rides ?? false"
        @change="(v) => set({ rides: v as boolean })"
        >Rides on the carrier</ElCheckbox
      >
      <div class="row" style="margin-top: 6px">
        <ElButton v-if="key" @click="removeKey">Remove its key</ElButton>
        <ElButton v-if="motion" class="plain" @click="stand">Let it stand</ElButton>
      </div>
    </template>
  </section>
</template>
