<script setup lang="ts">
import { computed } from 'vue'
import type { Family, Vec3 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { lengthOf, NAMES, useSurvey } from './survey'

const { s, chosen, survey, result, problem, mm, px, keep, copy, removeChosen, filmBack } = useSurvey()
const r = computed(() => result.value)
const angles = computed(() => {
  const m = r.value?.camera.rotation as Vec3[] | undefined
  if (!m) return null
  const [right, , f] = m
  const pan = Math.atan2(f[0], -f[2])
  const level = [Math.cos(pan), 0, Math.sin(pan)]
  const up = [level[1] * f[2] - level[2] * f[1], level[2] * f[0] - level[0] * f[2], level[0] * f[1] - level[1] * f[0]]
  const dot = (a: number[], b: number[]) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
  return [pan, Math.asin(f[1]), Math.atan2(-dot(right, up), dot(right, level))].map((v) => (v * 180) / Math.PI)
})
const rows = computed(() => {
  const list = (survey.value?.edges ?? []).map((e, i) => ({ i, family: e.family ?? null, length: lengthOf(e), residual: r.value?.edges[i]?.residual_px ?? null }))
  return list.sort((a, b) => (b.residual ?? -1) - (a.residual ?? -1) || a.i - b.i)
})
const facts = computed(() => s.photo?.facts)
const offer = computed(() => {
  const f = facts.value
  if (f?.focal_35mm) return { mm: f.focal_35mm, why: 'its 35 mm equivalent' }
  return null
})
const setFocal = (millimetres: number | null) => {
  const next = copy()
  next.focal_px = millimetres === null ? null : { value: px(millimetres), sigma: px(millimetres) * 0.02 }
  return keep(next, millimetres === null ? 'Free the focal length' : 'Set the focal length')
}
function setTape(i: number, metres: number | null) {
  const next = copy()
  next.lengths[i].metres = metres!
  void keep(next, 'Change a tape')
}
function dropTape(i: number) {
  const next = copy()
  next.lengths.splice(i, 1)
  void keep(next, 'Remove a tape')
}
function setHeight(h: number | null) {
  const next = copy()
  next.camera_height_m = h
  void keep(next, 'Set the camera’s height')
}
function setLens(bent: boolean) {
  const next = copy()
  next.distortion = bent ? 'solve' : 'none'
  void keep(next, 'Change the lens')
}
function setFamily(i: number, f: Family) {
  const next = copy()
  next.edges[i].family = f
  void keep(next, 'Change an edge’s direction')
}
</script>

<template>
  <div v-if="s.photo && survey">
    <section class="section">
      <h2>Camera</h2>
      <p v-if="problem && survey.edges.length" class="sentence warn" role="status" data-problem>{{ problem }}</p>
      <table v-if="r" class="facts" data-camera>
        <tbody>
          <tr><td>Focal length</td><td class="number"><b data-focal-mm>{{ mm(r.camera.focal_px).toFixed(2) }}</b> ± {{ r.sigma.focal_px === null ? '?' : mm(r.sigma.focal_px).toFixed(2) }} mm</td></tr>
          <tr><td></td><td class="number quiet"><span data-focal-px>{{ r.camera.focal_px.toFixed(0) }}</span> ± {{ r.sigma.focal_px?.toFixed(0) ?? '?' }} px</td></tr>
          <tr v-if="angles"><td>Pan · tilt · roll</td><td class="number">{{ angles.map((a) => a.toFixed(1)).join(' · ') }}°</td></tr>
          <tr><td>Rotation known to</td><td class="number">± {{ r.sigma.rotation_deg.toFixed(2) }}°</td></tr>
          <tr><td>Camera above ground</td><td class="number">{{ r.camera.position ? `${r.camera.position[1].toFixed(2)} m` : 'no scale yet' }}</td></tr>
          <tr><td>Edges miss by</td><td class="number">{{ r.rms_px.toFixed(2) }} px rms</td></tr>
        </tbody>
      </table>
      <p v-else-if="!survey.edges.length" class="quiet">Traced edges will give the camera here, with its error.</p>
    </section>

    <section v-if="r && r.warnings.length" class="section">
      <p v-for="w in r.warnings" :key="w" class="sentence warn">{{ w }}</p>
    </section>

    <section class="section">
      <h2>Known</h2>
      <NumberField id="focal-known" label="Focal length" :model-value="survey.focal_px ? mm(survey.focal_px.value) : null" unit="mm" :min="1" :max="2000" empty="solved" @change="setFocal" />
      <p class="quiet">for a film back {{ filmBack }} mm wide; ± 2 % when typed</p>
      <button v-if="offer && !survey.focal_px" class="plain" @click="setFocal(offer.mm)">Use {{ offer.mm }} mm, {{ offer.why }}</button>
      <NumberField id="camera-height" label="Camera’s height" :model-value="survey.camera_height_m ?? null" unit="m" :digits="3" empty="by tape" @change="setHeight" />
      <div v-for="(t, i) in survey.lengths" :key="i" class="row tape">
        <NumberField :label="`Tape ${i + 1} · ${NAMES[t.direction]}`" :model-value="t.metres" unit="m" :digits="3" @change="setTape(i, $event)" />
        <button class="plain" :aria-label="`Remove tape ${i + 1}`" @click="dropTape(i)">Remove</button>
      </div>
      <label class="lens"><input type="checkbox" :checked="survey.distortion === 'solve'" @change="setLens(($event.target as HTMLInputElement).checked)" /> The lens bends straight lines: solve k1, k2</label>
      <p v-if="r && survey.distortion === 'solve'" class="figure quiet">k1 {{ (r.camera.distortion as number[])[0].toFixed(4) }} ± {{ r.sigma.distortion?.[0].toFixed(4) }}<br />k2 {{ (r.camera.distortion as number[])[1].toFixed(4) }} ± {{ r.sigma.distortion?.[1].toFixed(4) }}</p>
    </section>

    <section v-if="rows.length" class="section">
      <h2>Edges, worst first</h2>
      <table class="facts" data-edges>
        <thead><tr><th>Direction</th><th class="number">length</th><th class="number">off by</th></tr></thead>
        <tbody>
          <tr v-for="row in rows" :key="row.i" class="pick" :class="{ chosen: chosen === row.i }" @click="chosen = row.i">
            <td>
              <select v-if="chosen === row.i" :value="row.family" aria-label="Direction" @change="setFamily(row.i, ($event.target as HTMLSelectElement).value as Family)">
                <option v-for="(n, f) in NAMES" :key="f" :value="f">{{ n }}</option>
              </select>
              <template v-else>{{ row.family ? NAMES[row.family] : 'none' }}</template>
            </td>
            <td class="number">{{ row.length.toFixed(0) }} px</td>
            <td class="number">{{ row.residual === null ? '–' : `${row.residual.toFixed(2)} px` }}</td>
          </tr>
        </tbody>
      </table>
      <button v-if="chosen !== null" class="plain" @click="removeChosen">Remove this edge</button>
    </section>

    <section v-if="r && r.assumed.length" class="section">
      <h2>Assumed</h2>
      <p v-for="a in r.assumed" :key="a" class="quiet">{{ a }}</p>
    </section>
  </div>
</template>

<style scoped>
.tape { flex-wrap: nowrap; }
.tape > :first-child { flex: 1; }
.tape :deep(.box) { width: 92px; }
.lens { display: flex; gap: 6px; margin-top: 6px; align-items: baseline; }
</style>
