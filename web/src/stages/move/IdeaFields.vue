<script setup lang="ts">
/** A move from an idea: what kind, about what, how far; its keys take the place of those that there are. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { AHEAD } from '../../api/shared.gen'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { IDEAS, useIdea, type Kind } from './idea'

const s = useShot()
const { kind, about, picking, drawing, far, ends, set: setKeys } = useIdea()
const idea = computed(() => IDEAS[kind.value])
const said = ref(false)
const name = computed(() => about.value?.name ?? `what lies straight ahead, ${AHEAD} m off`)
function aboutPiece(id: string) {
  picking.value = id === 'point'
  if (id === 'ahead') about.value = null
  const piece = s.shot.solids.find((x) => x.id === id)
  if (piece) about.value = { solid: piece.id, at: null, name: piece.name }
}
async function set(amount = far.value[kind.value]) {
  said.value = true
  await setKeys(amount)
}
function choose(k: Kind) {
  kind.value = k
  said.value = false
}
</script>

<template>
  <section class="section" data-idea>
    <h2>From an idea</h2>
    <label class="said"
      >Move
      <ElSelect :model-value="kind" size="small" aria-label="Kind of move" @change="choose">
        <ElOption v-for="(i, k) in IDEAS" :key="k" :value="k" :label="i.name" />
      </ElSelect>
    </label>
    <label v-if="idea.about" class="said"
      >{{ idea.about }}
      <ElSelect
        :model-value="picking ? 'point' : (about?.solid ?? (about?.at ? 'point' : 'ahead'))"
        size="small"
        filterable
        aria-label="What the move is about"
        @change="aboutPiece"
      >
        <ElOption value="ahead" label="what lies straight ahead" />
        <ElOption value="point" :label="about?.at ? about.name : 'a point, clicked in the lens view'" />
        <ElOption v-for="x in s.shot.solids" :key="x.id" :value="x.id" :label="x.name" />
      </ElSelect>
    </label>
    <p v-if="picking" class="sentence" role="status">Click in the lens view what the move is about.</p>
    <label class="said"
      >Home is
      <ElSelect v-model="ends" size="small" aria-label="Where home is pinned">
        <ElOption value="first" label="the first frame" />
        <ElOption value="last" label="the last frame" />
      </ElSelect>
    </label>
    <NumberField
      :label="idea.far"
      :model-value="far[kind]"
      :unit="idea.unit"
      :digits="2"
      :step="idea.unit === '°' ? 1 : 0.1"
      @change="(v) => set(v!)"
    />
    <ElButton :class="{ on: drawing }" :aria-pressed="drawing" data-draw-idea @click="drawing = !drawing">
      Draw it in the lens view
    </ElButton>
    <p v-if="drawing" class="sentence" role="status">{{ idea.drawn }} Escape puts it away.</p>
    <ElButton data-set-idea @click="set()">{{ s.keys.length > 1 ? 'Set its keys anew' : 'Set its keys' }}</ElButton>
    <p v-if="said && s.keys.length > 1" class="quiet">
      {{ idea.says }}{{ idea.about ? ` About ${name}.` : '' }} Undo gives the keys of before.
    </p>
  </section>
</template>

<style scoped>
.said {
  grid-template-columns: 1fr 1.6fr;
}
</style>
