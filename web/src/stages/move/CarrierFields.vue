<script setup lang="ts">
/** What the camera rides on: its place and turn at frames; the camera's keys are relative to it. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import EaseFields from './EaseFields.vue'
import { aboutRise, AXES, keysWith, keysWithout, replaced, ridden, turned } from './motion'

type Key = Schemas['CarrierKey']
const s = useShot()
const carrier = computed(() => s.shot.move.carrier)
/** Made of the keys that are there when the change has its turn: none is lost at any speed. */
const set = (keys: (now: Key[]) => Key[] | null) => {
  const next = (shot: Schemas['Shot']) => {
    const made = keys(shot.move.carrier?.keys ?? [])
    return { carrier: made && { keys: made } }
  }
  return s.change(
    'PATCH',
    '/travel',
    () => next(s.state!.shot),
    (shot) => ({ ...shot, move: { ...shot.move, ...next(shot) } }),
  )
}
const REST: Key = { frame: 0, position: [0, 0, 0], rotation: [1, 0, 0, 0], ease: null, speed: null }
const key = computed(() => carrier.value?.keys.find((k) => k.frame === s.frame) ?? null)
const now = computed(() => ridden(carrier.value?.keys ?? [], s.frame, REST))
function setKey(change: (there: Key) => Partial<Key>) {
  const frame = s.frame
  return set((keys) => {
    const there = ridden(keys, frame, REST)
    return keysWith(keys, { ...there, ...change(there) })
  })
}
const along = (i: number, v: number) => setKey((k) => ({ position: replaced(k.position, i, v) }))
function removeKey() {
  const frame = s.frame
  return set((keys) => keysWithout(keys, frame))
}
</script>

<template>
  <div data-carrier>
    <ElButton v-if="!carrier" data-put-carrier @click="set(() => [{ ...REST, frame: s.state!.first_frame }])"
      >Put it on a carrier</ElButton
    >
    <template v-else>
      <p class="quiet">
        Carrier, {{ key ? `its key on frame ${s.frame}` : `frame ${s.frame}` }}; keys on
        {{ carrier.keys.map((k) => k.frame).join(', ') }}. Pieces that ride on it go along.
      </p>
      <NumberField
        v-for="(axis, i) in AXES"
        :key="axis"
        :label="`Carrier along ${axis}`"
        :model-value="now.position[i]"
        unit="m"
        :digits="3"
        makes
        @change="(v) => along(i, v!)"
      />
      <NumberField
        label="Carrier turned"
        :model-value="aboutRise(now.rotation!)"
        unit="°"
        @change="(v) => setKey(() => ({ rotation: turned(v!) }))"
      />
      <EaseFields v-if="key" of="the carrier" :at="key" :fps="s.shot.delivery.fps" @set="(to) => setKey(() => to)" />
      <div class="row">
        <ElButton v-if="!key" data-set-carrier-key @click="setKey(() => ({}))">Set a key here</ElButton>
        <ElButton v-if="key && carrier.keys.length > 1" @click="removeKey">Remove the carrier’s key</ElButton>
        <ElButton class="plain" data-no-carrier @click="set(() => null)">No carrier</ElButton>
      </div>
    </template>
  </div>
</template>
