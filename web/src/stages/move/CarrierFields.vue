<script setup lang="ts">
/** What the camera rides on: its place and turn at frames; the camera's keys are relative to it. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { aboutRise, turned } from './motion'

type Key = Schemas['CarrierKey']
const s = useShot()
const carrier = computed(() => s.shot.move.carrier)
const set = (keys: Key[] | null) => {
  const next = { carrier: keys && { keys } }
  return s.change('PATCH', '/travel', next, (shot) => ({ ...shot, move: { ...shot.move, ...next } }))
}
const REST: Key = { frame: 0, position: [0, 0, 0], rotation: [1, 0, 0, 0] }
const key = computed(() => carrier.value?.keys.find((k) => k.frame === s.frame) ?? null)
/** Of a frame between keys the nearer one, which a new key begins from. */
const now = computed(() => {
  const keys = carrier.value?.keys ?? [REST]
  return keys.reduce((a, b) => (Math.abs(b.frame - s.frame) < Math.abs(a.frame - s.frame) ? b : a))
})
function setKey(change: Partial<Key>) {
  const others = carrier.value!.keys.filter((k) => k.frame !== s.frame)
  void set([...others, { ...now.value, ...change, frame: s.frame }].sort((a, b) => a.frame - b.frame))
}
const along = (i: number, v: number) =>
  setKey({ position: now.value.position.map((x, j) => (j === i ? v : x)) as [number, number, number] })
const removeKey = () => set(carrier.value!.keys.filter((k) => k.frame !== s.frame))
</script>

<template>
  <div data-carrier>
    <ElButton v-if="!carrier" data-put-carrier @click="set([{ ...REST, frame: s.state!.first_frame }])"
      >Put it on a carrier</ElButton
    >
    <template v-else>
      <p class="quiet">
        Carrier, {{ key ? `its key on frame ${s.frame}` : `frame ${s.frame}` }}; keys on
        {{ carrier.keys.map((k) => k.frame).join(', ') }}. Pieces that ride on it go along.
      </p>
      <NumberField
        v-for="(axis, i) in ['run', 'rise', 'return']"
        :key="axis"
        :label="`Carrier along ${axis}`"
        :model-value="now.position[i]"
        unit="m"
        :digits="3"
        @change="(v) => along(i, v!)"
      />
      <NumberField
        label="Carrier turned"
        :model-value="aboutRise(now.rotation!)"
        unit="°"
        @change="(v) => setKey({ rotation: turned(v!) })"
      />
      <div class="row">
        <ElButton v-if="key && carrier.keys.length > 1" @click="removeKey">Remove the carrier’s key</ElButton>
        <ElButton class="plain" data-no-carrier @click="set(null)">No carrier</ElButton>
      </div>
    </template>
  </div>
</template>
