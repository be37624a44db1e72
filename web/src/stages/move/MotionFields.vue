<script setup lang="ts">
/** How a piece, or a group, moves: keys at frames, drift, the lens that it faces, the carrier. */
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import EaseFields from './EaseFields.vue'
import { aboutRise, at, AXES, keysWith, keysWithout, replaced, REST, turned, type Motion } from './motion'

const s = useShot()
interface Mover {
  /** Where it is asked about; tells a piece and a group of the same name apart. */
  path: `/solids/${string}` | `/groups/${string}`
  says: string
  motion: Motion | null
  fades: boolean
}
const chosen = ref<string | null>(null)
const pieces = computed<Mover[]>(() =>
  s.shot.solids.map((x) => ({
    path: `/solids/${x.id}`,
    says: x.name,
    motion: x.motion ?? null,
    fades: x.kind === 'flat',
  })),
)
const groups = computed<Mover[]>(() =>
  [...new Set(s.shot.solids.flatMap((x) => (x.group ? [x.group] : [])))].map((name) => ({
    path: `/groups/${encodeURIComponent(name)}`,
    says: `all of ${name}`,
    motion: s.shot.groups?.find((g) => g.name === name)?.motion ?? null,
    fades: s.shot.solids.some((x) => x.group === name && x.kind === 'flat'),
  })),
)
const movers = computed(() => [...pieces.value, ...groups.value])
const mover = computed(
  () => movers.value.find((x) => x.path === chosen.value) ?? movers.value.find((x) => x.motion) ?? null,
)
const motion = computed<Motion | null>(() => mover.value?.motion ?? null)
const key = computed(() => motion.value?.keys.find((k) => k.frame === s.frame) ?? null)
const now = computed(() => at(motion.value, s.frame))
/** How what moves at a path moves in a shot. */
const motionIn = (shot: Schemas['Shot'], path: string): Motion => ({
  ...REST,
  ...(shot.solids.find((x) => `/solids/${x.id}` === path)?.motion ??
    shot.groups.find((g) => `/groups/${encodeURIComponent(g.name)}` === path)?.motion),
})
/** Change how a thing moves: made of how it does when the change has its turn, so that none is lost at any speed. */
const set = (change: (now: Motion) => Partial<Motion>) => {
  const { path } = mover.value!
  const next = (shot: Schemas['Shot']): Motion => {
    const now = motionIn(shot, path)
    return { ...now, ...change(now) }
  }
  return s.change(
    'PUT',
    `${path}/motion`,
    () => ({ motion: next(s.state!.shot) }),
    (shot) => ({
      ...shot,
      solids: shot.solids.map((x) => (`/solids/${x.id}` === path ? { ...x, motion: next(shot) } : x)),
      groups: path.startsWith('/groups/')
        ? [
            ...shot.groups.filter((g) => `/groups/${encodeURIComponent(g.name)}` !== path),
            { name: decodeURIComponent(path.slice('/groups/'.length)), motion: next(shot) },
          ]
        : shot.groups,
    }),
  )
}
function setKey(change: (now: Schemas['MotionKey']) => Partial<Schemas['MotionKey']>) {
  const frame = s.frame
  return set((m) => {
    const there = at(m, frame)
    return { keys: keysWith(m.keys, { ...there, ...change(there) }) }
  })
}
const offset = (i: number, v: number) => setKey((k) => ({ offset: replaced(k.offset, i, v) }))
const drift = (i: number, v: number) => set((m) => ({ drift: replaced(m.drift, i, v) }))
function removeKey() {
  const frame = s.frame
  return set((m) => ({ keys: keysWithout(m.keys, frame) }))
}
const stand = () => s.change('PUT', `${mover.value!.path}/motion`, { motion: null })
</script>

<template>
  <section class="section" data-motion>
    <h2>Things that move</h2>
    <ElSelect
      :model-value="mover?.path ?? ''"
      size="small"
      filterable
      placeholder="Choose a piece or a group"
      aria-label="Which piece moves"
      style="width: 100%"
      @change="(path: string) => (chosen = path)"
    >
      <ElOption v-for="x in movers" :key="x.path" :value="x.path" :label="x.motion ? `${x.says} · moves` : x.says" />
    </ElSelect>
    <template v-if="mover">
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
        makes
        @change="(v) => offset(i, v!)"
      />
      <NumberField
        label="Turned about rise"
        :model-value="aboutRise(now.rotation)"
        unit="°"
        makes
        @change="(v) => setKey(() => ({ rotation: turned(v!) }))"
      />
      <NumberField
        label="Size"
        :model-value="now.scale"
        unit="×"
        :min="0.001"
        :max="1000"
        @change="(v) => setKey(() => ({ scale: v! }))"
      />
      <NumberField
        v-if="mover.fades"
        :label="mover.path.startsWith('/groups/') ? 'Opacity of its flats' : 'Opacity'"
        :model-value="100 * now.opacity"
        unit="%"
        :digits="0"
        :min="0"
        :max="100"
        @change="(v) => setKey(() => ({ opacity: v! / 100 }))"
      />
      <EaseFields v-if="key" of="it" :at="key" :fps="s.shot.delivery.fps" @set="(to) => setKey(() => to)" />
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
        @change="(v: 'no' | 'rise' | 'full') => set(() => ({ faces_lens: v }))"
      >
        <ElOption value="no" label="keeps its own direction" />
        <ElOption value="rise" label="faces the lens, upright" />
        <ElOption value="full" label="faces the lens wholly" />
      </ElSelect>
      <ElCheckbox
        v-if="s.shot.move.carrier"
        :model-value="motion?.rides ?? false"
        @change="(v) => set(() => ({ rides: v as boolean }))"
        >Rides on the carrier</ElCheckbox
      >
      <div class="row" style="margin-top: 6px">
        <ElButton v-if="key" @click="removeKey">Remove its key</ElButton>
        <ElButton v-else data-set-piece-key @click="setKey(() => ({}))">Set a key here</ElButton>
        <ElButton v-if="motion" class="plain" @click="stand">Let it stand</ElButton>
      </div>
    </template>
  </section>
</template>
