<script setup lang="ts">
import { computed } from 'vue'
import type { Solid } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { footOf } from './tools'

const s = useShot()
type Field = { label: string; unit: string; get: () => number; set: (v: number) => object; min?: number }

const put = (change: object) => s.change('PUT', `/solids/${s.solid!.id}`, { ...s.solid, ...change })
const swap = (list: readonly number[], i: number, v: number) => list.map((x, j) => (j === i ? v : x))
const of3 = (name: 'corner' | 'foot' | 'viewer' | 'size', labels: string[], solid: Record<string, unknown>, min?: number): Field[] =>
  labels.map((label, i) => ({ label, unit: 'm', min, get: () => (solid[name] as number[])[i], set: (v) => ({ [name]: swap(solid[name] as number[], i, v) }) }))
const one = (solid: Record<string, unknown>, name: string, label: string, unit = 'm', min?: number): Field => ({ label, unit, min, get: () => solid[name] as number, set: (v) => ({ [name]: v }) })

function fieldsOf(solid: Solid): Field[] {
  const d = solid as unknown as Record<string, unknown>
  const place = ['At run', 'At rise', 'At return']
  switch (solid.kind) {
    case 'block':
    case 'gable':
      return [...of3('size', ['Along run', solid.kind === 'gable' ? 'Ridge over eaves' : 'Height', 'Along return'], d, 0.01), ...of3('corner', place, d), one(d, 'turn_deg', 'Turn', '°')]
    case 'column':
      return [one(d, 'radius_foot', 'Radius at foot', 'm', 0.01), one(d, 'radius_top', 'Radius at top', 'm', 0.01), one(d, 'height', 'Height', 'm', 0.01), ...of3('foot', place, d)]
    case 'wall':
      return [one(d, 'height', 'Height', 'm', 0.01), one(d, 'base', 'Foot at rise'), ...[0, 1].map((i) => ({ label: `From ${i ? 'return' : 'run'}`, unit: 'm', get: () => solid.a[i], set: (v: number) => ({ a: swap(solid.a, i, v) }) })), ...[0, 1].map((i) => ({ label: `To ${i ? 'return' : 'run'}`, unit: 'm', get: () => solid.b[i], set: (v: number) => ({ b: swap(solid.b, i, v) }) }))]
    case 'flat':
      return [...of3('foot', place, d), one(d, 'heading_deg', 'Heading', '°')]
    case 'backdrop':
      return [one(d, 'distance', 'Distance', 'm', 0.1), one(d, 'width', 'Width', 'm', 0.1), one(d, 'height', 'Height', 'm', 0.1), one(d, 'base', 'Foot at rise'), one(d, 'heading_deg', 'Heading', '°'), one(d, 'arc_deg', 'Bent round', '°', 0)]
    case 'ground':
      return [one(d, 'height', 'At rise'), { label: 'Along run', unit: 'm', min: 0.1, get: () => solid.size[0], set: (v) => ({ size: [v, solid.size[1]] }) }, { label: 'Along return', unit: 'm', min: 0.1, get: () => solid.size[1], set: (v) => ({ size: [solid.size[0], v] }) }]
    default:
      return []
  }
}
const fields = computed(() => (s.solid ? fieldsOf(s.solid) : []))
const depth = computed(() => {
  const c = s.homePhoto?.camera?.position
  if (!s.solid || !c) return null
  const f = footOf(s.solid)
  return Math.hypot(f[0] - c[0], f[1] - c[1], f[2] - c[2])
})
const push = (factor: number) => s.change('POST', `/solids/${s.solid!.id}/push`, { factor })
const rename = (name: string) => { if (name.trim() && name.trim() !== s.solid!.name) void put({ name: name.trim() }) }
</script>

<template>
  <div>
    <section class="section">
      <h2>Solids</h2>
      <p v-if="!s.shot.solids.length" class="quiet">Nothing is built yet.</p>
      <div class="list">
        <table class="facts" data-solids>
          <tbody>
            <tr v-for="x in s.shot.solids" :key="x.id" class="pick" :class="{ chosen: x.id === s.solidId }" tabindex="0" @click="s.solidId = x.id" @keydown.enter="s.solidId = x.id">
              <td>{{ x.name }}</td><td class="quiet kind">{{ x.kind }}{{ x.locked ? ', locked' : '' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <section v-if="s.solid" class="section">
      <h2>{{ s.solid.kind }}</h2>
      <label class="name"><span>Name</span><input type="text" :value="s.solid.name" maxlength="120" @change="rename(($event.target as HTMLInputElement).value)" /></label>
      <NumberField v-for="f in fields" :key="f.label" :label="f.label" :model-value="f.get()" :unit="f.unit" :digits="3" :min="f.min" :disabled="s.solid.locked" @change="put(f.set($event!))" />
    </section>

    <section v-if="s.solid && depth !== null" class="section">
      <h2>Depth; the picture stays</h2>
      <NumberField id="depth" label="Foot from home" :model-value="depth" unit="m" :digits="3" :min="0.05" :disabled="s.solid.locked" @change="push($event! / depth!)" />
      <div class="row">
        <button :disabled="s.solid.locked" @click="push(1 / 1.05)">5 % nearer</button>
        <button :disabled="s.solid.locked" @click="push(1.05)">5 % farther</button>
      </div>
    </section>

    <section v-if="s.solid" class="row section">
      <button @click="put({ locked: !s.solid.locked })">{{ s.solid.locked ? 'Unlock' : 'Lock' }}</button>
      <button @click="s.change('DELETE', `/solids/${s.solid!.id}`)">Remove</button>
    </section>
  </div>
</template>

<style scoped>
.list { max-height: 252px; overflow-y: auto; }
.kind { text-align: right; }
.name { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin-bottom: 4px; }
</style>
