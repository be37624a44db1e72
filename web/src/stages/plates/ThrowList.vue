<script setup lang="ts">
/** What is thrown on what, in the order in which throws are tried. */
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import type { Schemas, Throw } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { plateName, surfaceName } from '../../state/names'
import { useShot } from '../../state/shot'
import { changeThrow } from './outline'
import MatchTo from './MatchTo.vue'
import PlateTag from './PlateTag.vue'
import { FIGURES, PLAIN } from './steps'

const s = useShot()
/** The plate whose throw is open. */
const open = ref<string | null>(null)
const throws = computed(() => s.shot.throws)
/** Surfaces as they are named here: pieces, and faces that a throw names by themselves. */
const targets = computed(() => {
  const faces = throws.value.flatMap((t) => [...t.targets, ...t.first_on].filter((x) => x.includes('/')))
  return [...s.shot.solids.map((x) => x.id), ...new Set(faces)].map((id) => ({ id, name: surfaceName(s.shot, id) }))
})
const shift = (t: Throw, by: number) =>
  changeThrow(s, t.plate, { place: throws.value.findIndex((x) => x.plate === t.plate) + by })
/** What the list says now, as what has been added and taken away. */
const setTargets = (t: Throw, now: string[]) =>
  changeThrow(s, t.plate, {
    add: now.filter((x) => !t.targets.includes(x)),
    drop: t.targets.filter((x) => !now.includes(x)),
  })
const ordering = ref(false)
const merit = ref('')
async function byMerit() {
  ordering.value = true
  merit.value = ''
  const job = await s.work('/throws/merit')
  ordering.value = false
  if (job?.state !== 'done') return
  const r = job.result as { before: number; after: number; surfaces: number }
  const gain = `Stretched or enlarged too far over the move: ${r.after.toFixed(2)} %, before ${r.before.toFixed(2)} %.`
  merit.value = r.surfaces ? gain : `${gain} The order of the list serves every surface best.`
}
type Looks = Schemas['Grade']
const figure = (t: Throw, key: string) => (t.grade ?? PLAIN)[key as 'exposure']
const seam = (t: Throw, px: number | null, along: 'width' | 'least') =>
  changeThrow(s, t.plate, px === null ? { unseamed: true } : { seam: { px, along } })
const grade = (t: Throw, change: Partial<Looks>) =>
  changeThrow(s, t.plate, { grade: { ...PLAIN, ...t.grade, ...change } })
</script>

<template>
  <section class="section">
    <h2>Throws, tried in this order</h2>
    <p v-if="!throws.length" class="quiet">Nothing is thrown yet.</p>
    <ol class="throws">
      <li v-for="(t, i) in throws" :key="t.plate" :class="{ open: open === t.plate }" :data-throw="t.plate">
        <ElButton class="head" @click="open = open === t.plate ? null : t.plate">
          <PlateTag :plate="t.plate" />
          <span>{{ plateName(s.shot, t.plate) }}</span>
          <span class="figure quiet">{{ t.targets.length }} target{{ t.targets.length === 1 ? '' : 's' }}</span>
        </ElButton>
        <div v-if="open === t.plate" class="body">
          <ElSelect
            :model-value="t.targets"
            multiple
            filterable
            collapse-tags
            collapse-tags-tooltip
            placeholder="Thrown on nothing"
            aria-label="Thrown on"
            size="small"
            style="width: 100%"
            @change="(v: string[]) => setTargets(t, v)"
          >
            <ElOption v-for="x in targets" :key="x.id" :value="x.id" :label="x.name" />
          </ElSelect>
          <ElCheckbox :model-value="t.occlusion" @change="(on) => changeThrow(s, t.plate, { occlusion: on as boolean })"
            >Only where its camera could see</ElCheckbox
          >
          <NumberField
            label="Opacity"
            :model-value="t.opacity * 100"
            unit="%"
            :digits="0"
            :min="0"
            :max="100"
            @change="(v) => changeThrow(s, t.plate, { opacity: v! / 100 })"
          />
          <NumberField
            label="Seam over"
            :model-value="t.seam?.px ?? null"
            unit="px"
            :digits="0"
            :min="1"
            :max="2000"
            empty="hard"
            @change="(v) => seam(t, v, t.seam?.along ?? 'width')"
          />
          <ElCheckbox
            v-if="t.seam"
            :model-value="t.seam.along === 'least'"
            @change="(on) => seam(t, t.seam!.px, on ? 'least' : 'width')"
            >Along the least visible cut</ElCheckbox
          >
          <NumberField
            v-for="f in FIGURES.grade"
            :key="f.key"
            :label="f.label"
            :model-value="figure(t, f.key)"
            :unit="f.unit"
            :digits="f.digits"
            :min="f.min"
            :max="f.max"
            @change="(v) => grade(t, { [f.key]: v! })"
          />
          <MatchTo :plate="t.plate" @matched="(g) => changeThrow(s, t.plate, { grade: g })" />
          <ElButton v-if="t.grade" @click="changeThrow(s, t.plate, { ungraded: true })">Take its grade off</ElButton>
          <ElSelect
            v-if="t.targets.length && throws.length > 1"
            :model-value="t.first_on"
            multiple
            filterable
            collapse-tags
            collapse-tags-tooltip
            placeholder="Tried first on nothing"
            aria-label="Tried first on"
            size="small"
            style="width: 100%"
            @change="(v: string[]) => changeThrow(s, t.plate, { first_on: v })"
          >
            <ElOption
              v-for="x in targets.filter((o) => t.targets.includes(o.id) || t.first_on.includes(o.id))"
              :key="x.id"
              :value="x.id"
              :label="`first on ${x.name}`"
            />
          </ElSelect>
          <div class="row">
            <ElButton :disabled="i === 0" @click="shift(t, -1)">Earlier</ElButton
            ><ElButton :disabled="i === throws.length - 1" @click="shift(t, 1)">Later</ElButton>
          </div>
        </div>
      </li>
    </ol>
    <ElButton
      v-if="throws.length > 1"
      title="Every surface tries that plate first which is stretched and enlarged least on it over the move"
      :disabled="ordering"
      data-merit
      style="margin-top: 10px"
      @click="byMerit"
      >{{ ordering ? 'Measuring the move…' : 'Order by merit over the move' }}</ElButton
    >
    <p v-if="merit" class="sentence" role="status" data-merit-said>{{ merit }}</p>
  </section>
</template>

<style scoped>
.throws {
  list-style: none;
  margin: 0;
  padding: 0;
}
.throws li {
  border-bottom: 1px solid var(--rule);
}
.throws li.open {
  background: #dcd8cc;
}
.head {
  display: flex;
  gap: 4px;
  align-items: center;
  width: 100%;
  border: 0;
  padding: 6px 2px;
  text-align: left;
  font-weight: 400;
}
.head span:nth-child(2) {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  line-height: 1.3;
}
.body {
  padding: 4px 6px 10px;
  display: grid;
  gap: 8px;
}
</style>
