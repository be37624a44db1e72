<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus'
import { computed } from 'vue'
import { ref } from 'vue'
import type { Advice, EdgeFamily, Family, Vec2, Vec3 } from '../../api/client'
import { panTiltRoll, quaternion } from '../../board/camera'
import NumberField from '../../ledger/NumberField.vue'
import { unbroken } from '../../ledger/figures'
import BeginningSaid from '../photo/BeginningSaid.vue'
import AssumeLedger from './AssumeLedger.vue'
import JoiningLedger from './JoiningLedger.vue'
import { lengthOf } from './edges'
import { NAMES, useSurvey } from './survey'

const {
  s,
  tool,
  chosen,
  selected,
  reassign,
  split,
  survey,
  result,
  problem,
  finding,
  hint,
  mm,
  px,
  keep,
  copy,
  removeChosen,
  setTape,
  filmBack,
  find,
  dropFaulty,
  pick,
} = useSurvey()
const all = ref(false)
const FEW = 8
const r = computed(() => result.value)
const angles = computed(() => {
  const m = r.value?.camera.rotation as Vec3[] | undefined
  if (!m) return null
  return panTiltRoll(quaternion(m))
})
const rows = computed(() => {
  const list = (survey.value?.edges ?? []).map((e, i) => ({
    i,
    id: e.id,
    family: e.family ?? null,
    length: lengthOf(e),
    residual: r.value?.edges[i]?.residual_px ?? null,
    weight: r.value?.edges[i]?.weight ?? 1,
    note: r.value?.edges[i]?.note ?? null,
  }))
  return list.sort((a, b) => (b.residual ?? -1) - (a.residual ?? -1) || a.i - b.i)
})
const shownRows = computed(() => (all.value ? rows.value : rows.value.slice(0, FEW)))
const faulty = computed(() => rows.value.filter((x) => x.weight < 0.05).length)
function follow(a: Advice) {
  tool.value = a.family
  hint.value = hint.value && hint.value[0] === a.centre[0] && hint.value[1] === a.centre[1] ? null : (a.centre as Vec2)
}
const facts = computed(() => s.photo?.facts)
const offer = computed(() => {
  const f = facts.value
  if (f?.focal_35mm) return { mm: f.focal_35mm, why: 'its 35 mm equivalent' }
  return null
})
const setFocal = (millimetres: number | null) => {
  const next = copy()
  next.focal_px =
    millimetres === null ? null : { value: px(millimetres), sigma: px(millimetres) * 0.02, source: 'typed' as const }
  return keep(next, millimetres === null ? 'Free the focal length' : 'Set the focal length')
}
/** What the file says of the lens: an angle over the diagonal, CIPA DCG-001, and a measurement like others. */
function useFile(mm35: number) {
  const next = copy()
  const value = (mm35 * Math.hypot(s.photo!.width!, s.photo!.height!)) / Math.hypot(36, 24)
  next.focal_px = { value, sigma: 0.03 * value, source: 'file' }
  void keep(next, 'Use the file’s focal length')
}
function dropTape(id: string) {
  const next = copy()
  next.lengths = next.lengths.filter((t) => t.id !== id)
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
function setCentre(free: boolean) {
  const next = copy()
  next.principal_point = free ? 'solve' : 'centre'
  void keep(next, 'Change the principal point')
}
const standsIn = (part: 'lens' | 'horizon' | 'eye') => r.value?.stands_in?.includes(part)
/** Which of two walls is the front is the artist's to say: a quarter turn of the directions. */
function exchange() {
  const next = copy()
  const other = <F extends EdgeFamily>(f: F | Family): F | Family =>
    f === 'run' ? 'return' : f === 'return' ? 'run' : f
  next.edges.forEach((e) => {
    e.family = e.family && other(e.family)
  })
  next.lengths.forEach((t) => {
    t.direction = other<Family>(t.direction)
  })
  const swapped = (words: string) => words.replace(/\b(Run|Return)\b/g, (f) => (f === 'Run' ? 'Return' : 'Run'))
  if (next.doubt) next.doubt.said = next.doubt.said.map(swapped)
  void keep(next, 'Exchange Run and Return')
}
</script>

<template>
  <div v-if="s.photo && survey">
    <BeginningSaid />
    <section class="section">
      <h2>Camera</h2>
      <p v-if="problem && survey.edges.length" class="sentence warn" role="status" data-problem>{{ problem }}</p>
      <table v-if="r" class="facts" data-camera>
        <tbody>
          <tr>
            <td>Focal length<span v-if="standsIn('lens')" class="quiet">, assumed</span></td>
            <td class="number">
              <b data-focal-mm>{{ mm(r.camera.focal_px).toFixed(2) }}</b> ±
              {{ r.sigma.focal_px === null ? '?' : mm(r.sigma.focal_px).toFixed(2) }} mm
            </td>
          </tr>
          <tr>
            <td></td>
            <td class="number quiet">
              <span data-focal-px>{{ r.camera.focal_px.toFixed(0) }}</span> ±
              {{ r.sigma.focal_px?.toFixed(0) ?? '?' }} px
            </td>
          </tr>
          <tr v-if="angles">
            <td>Pan · tilt · roll<span v-if="standsIn('horizon')" class="quiet">, assumed</span></td>
            <td class="number">{{ angles.map((a) => a.toFixed(1)).join(' · ') }}°</td>
          </tr>
          <tr>
            <td>Rotation known to</td>
            <td class="number">± {{ r.sigma.rotation_deg.toFixed(2) }}°</td>
          </tr>
          <tr>
            <td>Camera above ground<span v-if="standsIn('eye')" class="quiet">, assumed</span></td>
            <td class="number">{{ r.camera.position ? `${r.camera.position[1].toFixed(2)} m` : 'no scale yet' }}</td>
          </tr>
          <tr v-if="r.second_run" data-second-run>
            <td title="Of the façades that stand at an odd angle; positive: away from the viewer">
              Second run off Run
            </td>
            <td class="number">{{ r.second_run.angle_deg.toFixed(1) }} ± {{ r.second_run.sigma_deg.toFixed(1) }}°</td>
          </tr>
          <tr v-if="r.effect">
            <td title="How far a line of the world’s grid moves at the corners">At the picture’s corners</td>
            <td class="number">± {{ r.effect.border_px.toFixed(1) }} px</td>
          </tr>
          <tr v-if="r.effect?.far_m">
            <td>On the ground, {{ r.effect.at_m }} m off</td>
            <td class="number">± {{ (100 * r.effect.far_m).toFixed(0) }} cm</td>
          </tr>
          <tr v-if="r.position_sigma_m">
            <td>Standpoint known to</td>
            <td class="number">± {{ (100 * Math.max(...(r.position_sigma_m as number[]))).toFixed(0) }} cm</td>
          </tr>
          <tr v-if="survey.edges.length">
            <td>Edges miss by</td>
            <td class="number">{{ r.rms_px.toFixed(2) }} px rms</td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="!survey.edges.length && !survey.assumption" class="quiet">
        Traced edges will give the camera here, with its error.
      </p>
    </section>

    <AssumeLedger v-if="!r || survey.assumption" />

    <section v-if="r && r.warnings.length" class="section">
      <p v-for="w in r.warnings" :key="w" class="sentence warn">{{ w }}</p>
      <ElButton v-if="survey.doubt?.readings" :disabled="finding" data-look-readings @click="find"
        >Look at each reading</ElButton
      >
      <ElButton v-if="faulty" data-leave-out @click="dropFaulty">
        Leave {{ faulty === 1 ? 'it' : `all ${faulty}` }} out for good
      </ElButton>
    </section>

    <section v-if="r && r.advice?.length" class="section" data-advice>
      <h2>Trace next, to know f better</h2>
      <table class="facts">
        <tbody>
          <tr
            v-for="a in r.advice"
            :key="a.family"
            class="pick"
            :class="{ chosen: hint && hint[0] === a.centre[0] && hint[1] === a.centre[1] }"
            tabindex="0"
            @click="follow(a)"
            @keydown.enter="follow(a)"
          >
            <td>{{ NAMES[a.family] }}, {{ a.where }}</td>
            <td class="number">
              ± {{ mm(a.focal_sigma_now).toFixed(2) }} → {{ mm(a.focal_sigma_then).toFixed(2) }} mm
            </td>
          </tr>
        </tbody>
      </table>
    </section>

    <JoiningLedger v-if="s.shot.photos.length > 1" />

    <section class="section">
      <h2>Known</h2>
      <NumberField
        id="focal-known"
        label="Focal length"
        :model-value="survey.focal_px ? mm(survey.focal_px.value) : null"
        unit="mm"
        :min="1"
        :max="2000"
        empty="solved"
        @change="setFocal"
      />
      <p v-if="survey.focal_px?.source === 'file'" class="quiet" data-from-file>
        from the file’s {{ facts?.focal_35mm }} mm equivalent, ±
        {{ ((100 * survey.focal_px.sigma) / survey.focal_px.value).toFixed(0) }} %; for a film back of {{ filmBack }} mm
      </p>
      <p v-else class="quiet">for a film back of {{ filmBack }} mm; ± 2 % when typed</p>
      <ElButton v-if="offer && !survey.focal_px" class="plain" @click="useFile(offer.mm)">
        Use {{ offer.mm }} mm, {{ offer.why }}
      </ElButton>
      <NumberField
        id="camera-height"
        label="Camera’s height"
        :model-value="survey.camera_height_m ?? null"
        unit="m"
        :digits="3"
        empty="by tape"
        @change="setHeight"
      />
      <div v-for="(t, i) in survey.lengths" :key="t.id" class="row tape">
        <NumberField
          :label="`Tape ${i + 1} · ${NAMES[t.direction]}`"
          :model-value="t.metres"
          unit="m"
          :digits="3"
          @change="setTape(t.id, $event)"
        />
        <NumberField
          label="Known to ±"
          :model-value="t.sigma_m ?? null"
          unit="m"
          :digits="3"
          :min="0.0001"
          :max="1000"
          empty="exactly"
          @change="setTape(t.id, t.metres, $event)"
        />
        <ElButton class="plain" :aria-label="`Remove tape ${i + 1}`" @click="dropTape(t.id)">Remove</ElButton>
        <span v-if="survey.lengths.length > 1 && r?.tapes[i]" class="figure quiet solved"
          >solved {{ r.tapes[i].solved_m.toFixed(3) }} m, off by {{ r.tapes[i].off_m.toFixed(3) }} m</span
        >
      </div>
      <ElCheckbox class="lens" :model-value="survey.distortion === 'solve'" @change="(on) => setLens(on as boolean)"
        >The lens bends straight lines: solve k1, k2</ElCheckbox
      >
      <ElCheckbox
        class="lens"
        :model-value="survey.principal_point === 'solve'"
        @change="(on) => setCentre(on as boolean)"
        >Cropped or shifted: solve the principal point</ElCheckbox
      >
      <p v-if="r && r.sigma.principal_point" class="figure quiet">
        principal point {{ (r.camera.principal_point as number[])[0].toFixed(0) }} ±
        {{ r.sigma.principal_point[0].toFixed(0) }} px,<br />{{
          (r.camera.principal_point as number[])[1].toFixed(0)
        }}
        ± {{ r.sigma.principal_point[1].toFixed(0) }} px
      </p>
      <p v-if="r && survey.distortion === 'solve'" class="figure quiet">
        k1 {{ (r.camera.distortion as number[])[0].toFixed(4) }} ± {{ r.sigma.distortion?.[0].toFixed(4) }}<br />k2
        {{ (r.camera.distortion as number[])[1].toFixed(4) }} ± {{ r.sigma.distortion?.[1].toFixed(4) }}
      </p>
    </section>

    <section v-if="rows.length" class="section">
      <h2>Edges, worst first</h2>
      <table class="facts" data-edges>
        <thead>
          <tr>
            <th>Direction</th>
            <th class="number">length</th>
            <th class="number">off by</th>
            <th class="number">counts</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in shownRows"
            :key="row.id"
            class="pick"
            :class="{ chosen: selected.includes(row.i) }"
            tabindex="0"
            @click="pick(row.i, $event.shiftKey)"
            @keydown.enter="pick(row.i, $event.shiftKey)"
          >
            <td>
              <select
                v-if="chosen === row.i"
                :value="row.family ?? ''"
                aria-label="Direction"
                @click.stop
                @change="reassign((($event.target as HTMLSelectElement).value || null) as EdgeFamily | null)"
              >
                <option value="">straight</option>
                <option v-for="(n, f) in NAMES" :key="f" :value="f">{{ n }}</option>
              </select>
              <template v-else>{{ row.i + 1 }} · {{ row.family ? NAMES[row.family] : 'straight' }}</template>
              <span v-if="row.note" class="note wrong">{{ row.note }}</span>
            </td>
            <td class="number">{{ row.length.toFixed(0) }} px</td>
            <td class="number">{{ row.residual === null ? '–' : `${row.residual.toFixed(2)} px` }}</td>
            <td class="number" :class="{ wrong: row.weight < 0.05 }">
              {{ row.residual === null ? '–' : `${Math.round(100 * row.weight)} %` }}
            </td>
          </tr>
        </tbody>
      </table>
      <ElButton v-if="rows.length > FEW" class="plain" @click="all = !all">
        {{ all ? `The ${FEW} worst only` : `All ${rows.length}` }}
      </ElButton>
      <span v-if="selected.length > 1" class="quiet" data-selected>{{ selected.length }} edges chosen</span>
      <ElButton
        v-if="selected.length === 1"
        class="plain"
        title="Two edges of one, at the pointer (X) or in its middle"
        data-split
        @click="split(null)"
      >
        Split this edge
      </ElButton>
      <ElButton v-if="selected.length" class="plain" data-remove @click="removeChosen">
        Remove {{ selected.length === 1 ? 'this edge' : 'them' }}
      </ElButton>
      <ElButton
        v-if="rows.length > 1"
        class="plain"
        title="A quarter turn of the directions"
        data-exchange
        @click="exchange"
      >
        Exchange Run and Return
      </ElButton>
      <ElButton class="plain" :disabled="finding" data-find-more @click="find">Find edges</ElButton>
    </section>

    <section v-if="r && r.assumed.length" class="section">
      <h2>What it rests on</h2>
      <p v-for="a in r.assumed" :key="a" class="quiet">{{ unbroken(a) }}</p>
    </section>
  </div>
</template>

<style scoped>
.tape {
  flex-wrap: wrap;
}
.tape > :first-child {
  flex: 1;
}
.tape :deep(.box) {
  width: 92px;
}
.note {
  display: block;
  font-size: 12px;
  line-height: 1.2;
}
.solved {
  flex-basis: 100%;
  text-align: right;
}
.lens {
  display: flex;
  gap: 6px;
  margin-top: 6px;
  align-items: baseline;
}
</style>
