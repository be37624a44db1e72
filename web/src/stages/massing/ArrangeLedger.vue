<script setup lang="ts">
/** What can be done with the chosen pieces: depth, moving, repeating, mirroring, aligning, standing, groups. */
import { ElButton, ElCheckbox } from 'element-plus'
import { computed, reactive, ref, watch } from 'vue'
import { api, got, latest, type Schemas, type Solid, type Vec3 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import TextField from '../../ledger/TextField.vue'
import { useShot } from '../../state/shot'
import { footOf } from './kinds'
import { passed } from './passed'
import { SHOWS, sunk } from './sunk'
import { useChosen } from './tools'

const s = useShot()
const { chosen, chooseMade } = useChosen()
const by = reactive({ run: 0, rise: 0, ret: 0, turn: 0, step: [1, 0, 0] as Vec3, times: 1, level: 0 })
const face = ref('')
const target = ref('')
const solids = computed(() => s.shot.solids.filter((x) => chosen.value.includes(x.id)))
const locked = computed(() => solids.value.some((x) => x.locked))
const group = computed(() =>
  solids.value.length && solids.value.every((x) => x.group === solids.value[0].group)
    ? (solids.value[0].group ?? '')
    : '',
)
const tags = computed(() => [...new Set(solids.value.flatMap((x) => x.tags ?? []))].join(', '))
const trueSize = computed(() => solids.value.every((x) => x.true_size))
const hidden = computed(() => solids.value.filter((x) => x.hidden))
const inSet = computed(() => hidden.value.every((x) => x.in_set))
function depthOf(solid: Solid): number | null {
  const c = s.homePhoto?.camera?.position
  if (!c) return null
  const f = footOf(solid)
  return Math.hypot(f[0] - c[0], f[1] - c[1], f[2] - c[2])
}
/** The depth of the chosen piece, and whose it is: what was typed goes there, whatever is chosen by then. */
interface Deep {
  of: string
  ids: string[]
  metres: number
}
const depths = computed<Deep[]>(() => {
  const metres = s.solid && depthOf(s.solid)
  return metres ? [{ of: s.solid!.id, ids: chosen.value, metres }] : []
})
function arrange(what: object | (() => object), ids = chosen.value) {
  const body = () => ({ ids, ...(typeof what === 'function' ? (what as () => object)() : what) })
  return chooseMade(s.build('/arrange', body))
}
/** Where the piece stands when its turn comes: figures can be typed faster than they are kept. */
function setDepth({ of, ids }: Deep, metres: number) {
  return arrange(() => {
    const solid = s.shot.solids.find((x) => x.id === of)
    return { op: 'push', factor: solid ? metres / depthOf(solid)! : 1 }
  }, ids)
}
/** How far the chosen piece lies under the ground. */
const under = computed(() => {
  const shape = s.state!.shapes.find((x) => x.id === s.solidId)
  if (!shape || s.solid?.kind === 'ground' || chosen.value.length !== 1) return null
  const found = sunk(shape.vertices as Vec3[], s.shot.solids)
  return found && (passes.value === null || passes.value < found.level - SHOWS) ? found : null
})
const flat = computed(() => s.solid?.kind === 'flat')
/** The rise of the ground that the chosen flat is drawn before. */
const passes = computed(() => (chosen.value.length === 1 && s.solid?.kind === 'flat' ? (s.solid.passes ?? null) : null))
/** What it has passed since it was chosen: asked for after every change, told by how it was then. */
const overlaps = ref<{ of: string; before: Schemas['HomeOrder']; now: Schemas['HomeOrder'] } | null>(null)
const askOrder = latest(
  async (shot: string, of: string) => ({
    of,
    now: await got<Schemas['HomeOrder']>(
      api.GET('/api/shots/{shot_id}/solids/{solid_id}/order', { params: { path: { shot_id: shot, solid_id: of } } }),
    ).catch(() => null),
  }),
  ({ of, now }) => {
    const before = overlaps.value?.of === of ? overlaps.value.before : now
    overlaps.value = now && before && { of, before, now }
  },
)
watch(
  () => (flat.value && s.homePhoto?.camera?.position ? [s.solidId!, s.state!.revision] : null),
  (what) => what && askOrder(s.id, what[0] as string),
  { immediate: true },
)
const overtaken = computed(() => {
  const it = overlaps.value
  if (!it || it.of !== s.solidId || chosen.value.length !== 1) return []
  return passed(it.before, it.now, (id) => s.shot.solids.find((x) => x.id === id)?.name ?? id)
})
const mine = computed(() => s.state!.shapes.find((x) => x.id === s.solidId)?.names ?? [])
const others = computed(() =>
  s
    .state!.shapes.filter((x) => x.id !== s.solidId && !x.hidden && x.names.length < 60)
    .flatMap((x) =>
      x.names.map((n) => ({ id: `${x.id}/${n}`, name: `${s.shot.solids.find((y) => y.id === x.id)?.name} · ${n}` })),
    ),
)
watch(
  () => s.solidId,
  () => {
    face.value = ''
    target.value = ''
  },
)
async function align() {
  const made = await s.build('/arrange', { op: 'align', face: `${s.solidId}/${face.value}`, to: target.value })
  if (made) face.value = target.value = ''
}
const named = (text: string) =>
  text
    .split(',')
    .map((x) => x.trim())
    .filter(Boolean)
</script>

<template>
  <section v-if="depths.length" class="section">
    <h2>{{ trueSize ? 'Depth; the size stays' : 'Depth; the picture stays' }}</h2>
    <NumberField
      v-for="d in depths"
      id="depth"
      :key="d.of"
      label="Foot from home"
      :model-value="d.metres"
      unit="m"
      :digits="3"
      :min="0.05"
      :disabled="locked"
      @change="setDepth(d, $event!)"
    />
    <div class="row">
      <ElButton :disabled="locked" @click="arrange({ op: 'push', factor: 1 / 1.05 })">5 % nearer</ElButton>
      <ElButton :disabled="locked" @click="arrange({ op: 'push', factor: 1.05 })">5 % farther</ElButton>
    </div>
    <div v-if="under" class="sentence warn" data-sunk>
      The piece reaches {{ under.by.toFixed(2) }} m below the ground. The ground hides that part.
      <ElButton :disabled="locked" data-back-onto @click="arrange({ op: 'stand', level: under.level })">
        {{ trueSize ? 'Stand the piece on the ground' : 'Move the piece back onto the ground' }}
      </ElButton>
      <ElButton
        v-if="!trueSize"
        :disabled="locked"
        data-lift-onto
        @click="arrange({ op: 'move', by: [0, under.by, 0] })"
        >Lift the piece onto the ground</ElButton
      >
      <ElButton v-if="flat" :disabled="locked" data-let-through @click="arrange({ op: 'through', level: under.level })"
        >Draw the flat in front of the ground</ElButton
      >
      <span v-if="!trueSize" class="quiet">A lifted piece is higher in the picture than in the photo.</span>
    </div>
    <p v-if="overtaken.length" class="sentence warn" data-overtaken>{{ overtaken.join(' ') }}</p>
    <div v-if="passes !== null" class="sentence" data-passes>
      The ground does not hide the part below {{ passes.toFixed(2) }} m.
      <ElButton :disabled="locked" data-hide-below @click="arrange({ op: 'through', level: null })"
        >Let the ground hide that part</ElButton
      >
    </div>
    <div class="row">
      <NumberField
        label="Stand on rise"
        :model-value="by.level"
        unit="m"
        :digits="3"
        @change="by.level = $event!"
      /><ElButton :disabled="locked" data-stand @click="arrange({ op: 'stand', level: by.level })">Stand</ElButton>
    </div>
    <ElCheckbox
      v-if="hidden.length"
      class="check"
      :model-value="inSet"
      title="Pictures, verdicts, shadows and deliveries have it, though it is not drawn on the board"
      data-in-set
      @change="arrange({ op: 'mark', in_set: !inSet })"
      >Hidden, but in the set</ElCheckbox
    >
    <ElCheckbox class="check" :model-value="trueSize" @change="arrange({ op: 'mark', true_size: !trueSize })"
      >Keep its true size instead of the picture</ElCheckbox
    >
  </section>

  <section class="section">
    <h2>Arrange{{ chosen.length > 1 ? `, ${chosen.length} pieces` : '' }}</h2>
    <details>
      <summary>Move and turn</summary>
      <NumberField label="Move along run" :model-value="by.run" unit="m" :digits="3" @change="by.run = $event!" />
      <NumberField label="Move up" :model-value="by.rise" unit="m" :digits="3" @change="by.rise = $event!" />
      <NumberField label="Move along return" :model-value="by.ret" unit="m" :digits="3" @change="by.ret = $event!" />
      <NumberField label="Turn by" :model-value="by.turn" unit="°" @change="by.turn = $event!" />
      <ElButton
        :disabled="locked"
        data-move
        @click="arrange({ op: 'move', by: [by.run, by.rise, by.ret], turn_deg: by.turn })"
      >
        Move
      </ElButton>
    </details>
    <details data-repeat-box>
      <summary>Copy and repeat</summary>
      <NumberField
        v-for="(label, i) in ['Step along run', 'Step up', 'Step along return']"
        :key="label"
        :label="label"
        :model-value="by.step[i]"
        unit="m"
        :digits="3"
        @change="by.step[i] = $event!"
      />
      <NumberField
        label="Times"
        :model-value="by.times"
        unit="×"
        :digits="0"
        :min="1"
        :max="200"
        @change="by.times = Math.round($event!)"
      />
      <ElButton data-repeat @click="arrange({ op: 'repeat', step: by.step, times: by.times })">
        {{ by.times === 1 ? 'Copy' : `Repeat ${by.times} times` }}
      </ElButton>
    </details>
    <details>
      <summary>Mirror</summary>
      <div class="row">
        <ElButton data-mirror="run" @click="arrange({ op: 'mirror', axis: 'run', keep: true })">Copy along run</ElButton
        ><ElButton data-mirror="return" @click="arrange({ op: 'mirror', axis: 'return', keep: true })">
          Copy along return
        </ElButton>
      </div>
      <div class="row">
        <ElButton :disabled="locked" @click="arrange({ op: 'mirror', axis: 'run' })">Along run</ElButton
        ><ElButton :disabled="locked" @click="arrange({ op: 'mirror', axis: 'return' })">Along return</ElButton>
      </div>
      <p class="quiet">about the middle of what is chosen; a copy lands on the first until it is moved</p>
    </details>
    <details v-if="chosen.length === 1">
      <summary>Align a face</summary>
      <label class="pair"
        ><span>Its face</span
        ><select v-model="face" aria-label="Face to align">
          <option value="">–</option>
          <option v-for="n in mine" :key="n">{{ n }}</option>
        </select></label
      >
      <label class="pair"
        ><span>with</span
        ><select v-model="target" aria-label="Face to align with">
          <option value="">–</option>
          <option v-for="o in others" :key="o.id" :value="o.id">{{ o.name }}</option>
        </select></label
      >
      <ElButton :disabled="locked || !face || !target" data-align @click="align">Align</ElButton>
    </details>
    <details>
      <summary>Group and tags</summary>
      <TextField
        :key="`g${s.solidId}`"
        label="Group"
        :model-value="group"
        placeholder="none"
        @change="arrange({ op: 'mark', group: $event })"
      />
      <TextField
        :key="`t${s.solidId}`"
        label="Tags"
        :model-value="tags"
        placeholder="one, another"
        :max="400"
        @change="arrange({ op: 'mark', tags: named($event) })"
      />
    </details>
  </section>
</template>

<style scoped>
details {
  border-bottom: 1px solid var(--rule);
  padding: 4px 0;
}
summary {
  cursor: pointer;
}
details[open] summary {
  margin-bottom: 5px;
  font-weight: 600;
}
.check {
  display: flex;
  gap: 6px;
  margin-top: 6px;
  align-items: baseline;
}
.pair {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
  margin-bottom: 4px;
}
.row > :first-child:not(button) {
  flex: 1;
}
details button {
  margin-top: 4px;
}
</style>
