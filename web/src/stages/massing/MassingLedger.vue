<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, formOf, got, Problem, type Schemas, type Solid } from '../../api/client'
import FileButton from '../../ledger/FileButton.vue'
import NumberField from '../../ledger/NumberField.vue'
import TextField from '../../ledger/TextField.vue'
import { partsOf } from '../../state/parts'
import { useShot } from '../../state/shot'
import ArrangeLedger from './ArrangeLedger.vue'
import { figuresOf } from './kinds'
import PieceList from './PieceList.vue'
import { looks, settled, useChosen } from './tools'

const s = useShot()
const router = useRouter()
/** What of the camera that is drawn through stands in for what is not known. */
const standsIn = computed(() => {
  const drawn = s.shot.photos.find((p) => p.id === s.photoId && p.camera?.position) ?? s.homePhoto
  const parts = drawn?.result?.stands_in ?? []
  const { lens_mm35, eye_m } = drawn?.survey?.assumption ?? { lens_mm35: 35, eye_m: 1.6 }
  const says = {
    lens: `a lens of ${lens_mm35.toFixed(0)} mm`,
    horizon: 'a level horizon',
    eye: `the eye ${eye_m.toFixed(2)} m above the ground`,
  }
  return parts.map((p) => says[p])
})
const { chosen, choose, chooseMade } = useChosen()
/** Each change on what the one before has left: figures can be typed faster than they are kept. */
function later(id: string, change: (solid: Solid) => object | undefined) {
  return s.change('PATCH', `/solids/${id}`, () => {
    const solid = s.shot.solids.find((x) => x.id === id)
    const next = solid && change(solid)
    return next && { set: partsOf(solid, { ...solid, ...next }) }
  })
}
const put = (change: object) => later(s.solid!.id, () => change)
const setFigure = (id: string, label: string, value: number) =>
  later(id, (solid) =>
    figuresOf(solid)
      .find((f) => f.label === label)
      ?.set(value),
  )
/** The figures of the chosen piece, each with whose it is: what was typed goes there, whatever is chosen by then. */
const figures = computed(() =>
  s.solid && chosen.value.length === 1 ? figuresOf(s.solid).map((f) => ({ ...f, of: s.solid!.id })) : [],
)
const rename = (name: string) => {
  if (name) void put({ name })
}
const bring = (file: File) => chooseMade(s.build('/meshes', formOf([file])))
function remove() {
  const ids = chosen.value
  choose(null)
  void s.build('/arrange', { op: 'remove', ids })
}
const settling = ref(false)
async function settle() {
  settling.value = true
  const id = s.solidId!
  try {
    const done = await got<Schemas['SettledState']>(
      api.POST('/api/shots/{shot_id}/solids/{solid_id}/settle', { params: { path: { shot_id: s.id, solid_id: id } } }),
    )
    s.take(done.state)
    s.problem = null
    settled.value = {
      id,
      rms: done.rms_px,
      corner: done.corner_m,
      used: done.used,
      out: done.left_out,
      farther: done.farther,
      alone: done.alone,
    }
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    s.problem = error.message
  } finally {
    settling.value = false
  }
}
const said = computed(() => (settled.value?.id === s.solidId ? settled.value : null))
const grazing = computed(() => {
  const shape = s.state!.shapes.find((x) => x.id === s.solidId)
  return (shape?.grazing ?? []).map((i) => shape!.names[i])
})
const cuts = computed(() => (s.solid && 'cuts' in s.solid ? (s.solid.cuts ?? []) : []))
const profile = computed(() =>
  s.solid?.kind === 'ground' ? (s.solid.profile ?? []).map((p) => p.join(' ')).join('\n') : '',
)
const wrongProfile = ref<string | null>(null)
function setProfile(text: string) {
  const rows = text
    .split('\n')
    .map((x) => x.trim().replace(/,/g, '.'))
    .filter(Boolean)
    .map((x) => x.split(/\s+/).map(Number))
  if (rows.some((r) => r.length !== 2 || r.some((v) => !Number.isFinite(v))))
    return void (wrongProfile.value = 'Two numbers a line: how far along, how high.')
  wrongProfile.value = null
  void put({ profile: rows })
}
const look = ref<Schemas['Looks'] | null>(null)
const photo = computed(() => s.shot.photos.find((p) => p.id === s.photoId && p.camera?.position) ?? s.homePhoto)
async function refreshLooks() {
  look.value = null
  if ((looks.how !== 'depth' && looks.how !== 'cover') || !photo.value?.camera?.position) return
  look.value = await got<Schemas['Looks']>(
    api.GET('/api/shots/{shot_id}/looks', { params: { path: { shot_id: s.id }, query: { photo: photo.value.id } } }),
  ).catch(() => null)
  if (look.value?.near_m && looks.how === 'depth') {
    looks.near = Math.max(0.1, Math.floor(look.value.near_m * 10) / 10)
    looks.far = Math.max(looks.near + 1, Math.min(Math.ceil(look.value.far_m!), 400))
  }
}
watch([() => looks.how, () => s.state?.revision, () => photo.value?.id], () => void refreshLooks(), { immediate: true })
</script>

<template>
  <div>
    <section v-if="s.shot.photos.filter((p) => p.camera?.position).length > 1" class="section">
      <h2>Drawn through</h2>
      <select
        :value="photo?.id"
        aria-label="Photo to draw through"
        @change="s.photoId = ($event.target as HTMLSelectElement).value"
      >
        <option v-for="p in s.shot.photos.filter((p) => p.camera?.position)" :key="p.id" :value="p.id">
          {{ p.name }}
        </option>
      </select>
    </section>

    <section v-if="standsIn.length" class="section" data-assumed>
      <p class="sentence">
        Assumed: {{ standsIn.join(', ') }}.
        <ElButton class="plain" @click="router.push(`/shot/${s.id}/survey`)">To Survey</ElButton>
      </p>
    </section>
    <PieceList />
    <div class="row section">
      <FileButton class="plain" data-bring mark="mesh" accept=".obj,.glb,.gltf" @chosen="bring"
        >Bring in a mesh…</FileButton
      >
    </div>

    <section v-if="looks.how === 'cover' || looks.how === 'depth'" class="section" data-looks>
      <h2>{{ looks.how === 'cover' ? 'Cover' : 'Depth' }}</h2>
      <p v-if="!look" class="quiet">Looking…</p>
      <template v-else-if="looks.how === 'cover'">
        <p>
          <b class="figure" data-cover
            >{{ look.cover_percent === 100 ? '100' : Math.min(look.cover_percent, 99.9).toFixed(1) }} %</b
          >
          of the photo lands on a piece.
        </p>
        <p v-if="look.cover_percent < 99.95" class="quiet">The rest is hatched: nothing would carry it.</p>
      </template>
      <template v-else>
        <p class="quiet">
          Nearest {{ look.near_m?.toFixed(2) ?? '–' }} m, farthest {{ look.far_m?.toFixed(1) ?? '–' }} m off.
        </p>
        <NumberField
          label="Light at"
          :model-value="looks.near"
          unit="m"
          :min="0.05"
          @change="looks.near = Math.min($event!, looks.far - 0.1)"
        />
        <NumberField
          label="Dark at"
          :model-value="looks.far"
          unit="m"
          :min="0.2"
          @change="looks.far = Math.max($event!, looks.near + 0.1)"
        />
        <div class="row">
          <a :href="`/api/shots/${s.id}/depth/file?form=exr&photo=${photo!.id}`" download>Save OpenEXR, 32 bit</a
          ><a :href="`/api/shots/${s.id}/depth/file?form=png&photo=${photo!.id}`" download>Save PNG, 16 bit</a>
        </div>
      </template>
    </section>

    <section v-if="s.solid && chosen.length === 1" class="section">
      <h2>{{ s.solid.kind === 'gable' ? 'roof' : s.solid.kind }}</h2>
      <TextField :key="s.solid.id" label="Name" :model-value="s.solid.name" @change="rename" />
      <NumberField
        v-for="f in figures"
        :key="`${s.solid.id}${f.label}`"
        :label="f.label"
        :model-value="f.get()"
        :unit="f.unit"
        :digits="f.digits ?? 3"
        :min="f.min"
        :max="f.max"
        :disabled="s.solid.locked"
        @change="setFigure(f.of, f.label, f.digits === 0 ? Math.round($event!) : $event!)"
      />
      <label v-if="s.solid.kind === 'gable'" class="name"
        ><span>Ridge</span
        ><select
          :value="s.solid.ridge"
          :disabled="s.solid.locked"
          aria-label="Ridge"
          @change="put({ ridge: ($event.target as HTMLSelectElement).value })"
        >
          <option value="run">along run</option>
          <option value="return">along return</option>
        </select></label
      >
      <template v-if="s.solid.kind === 'ground'">
        <label class="name"
          ><span>Slopes</span
          ><select
            :value="s.solid.along"
            :disabled="s.solid.locked"
            aria-label="Direction of the profile"
            @change="put({ along: ($event.target as HTMLSelectElement).value })"
          >
            <option value="return">along return</option>
            <option value="run">along run</option>
          </select></label
        >
        <label class="profile"
          >Profile: how far along and how high in metres, a line each; empty is level<textarea
            :value="profile"
            rows="3"
            :disabled="s.solid.locked"
            aria-label="Profile"
            @change="setProfile(($event.target as HTMLTextAreaElement).value)"
          />
        </label>
        <p v-if="wrongProfile" class="wrong" role="alert">{{ wrongProfile }}</p>
      </template>
      <p v-if="s.solid.kind === 'imported'" class="quiet figure">
        {{ s.solid.triangles.toLocaleString('en') }} triangles
      </p>
      <table v-if="cuts.length" class="facts" data-cuts>
        <tbody>
          <tr v-for="c in cuts" :key="c.name">
            <td>{{ c.name }}</td>
            <td class="number">{{ (c.high[0] - c.low[0]).toFixed(2) }} × {{ (c.high[1] - c.low[1]).toFixed(2) }} m</td>
            <td class="number">
              <ElButton
                class="plain"
                :disabled="s.solid.locked"
                :aria-label="`Close ${c.name}`"
                @click="put({ cuts: cuts.filter((x) => x.name !== c.name) })"
              >
                Close
              </ElButton>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="grazing.length" class="sentence warn" data-grazing>
        Seen too slantingly for a plate to hold: {{ grazing.slice(0, 5).join(', ')
        }}{{ grazing.length > 5 ? ` and ${grazing.length - 5} more` : '' }} (less than 10° by every photo).
      </p>
      <div class="row">
        <ElButton
          v-if="['block', 'room', 'steps', 'gable', 'wall', 'slab', 'panel'].includes(s.solid.kind)"
          :disabled="s.solid.locked || settling"
          data-settle
          title="Fit its measures to the edges of the photos along its sides"
          @click="settle"
        >
          {{ settling ? 'Settling…' : 'Settle' }}
        </ElButton>
      </div>
      <p v-if="said" class="quiet" data-settled>
        Its sides miss the picture’s edges by {{ said.rms.toFixed(2) }} px; corners known to ±
        {{ (100 * said.corner).toFixed(1) }} cm, from {{ said.used }} side{{ said.used === 1 ? '' : 's'
        }}{{ said.out ? `; ${said.out} left out` : '' }}.
        <template v-if="said.farther"
          >A side went farther than its edge was looked for: look whether it is the right one.</template
        >
        <template v-if="said.alone">So few sides cannot tell a wrong edge among them; another photo would.</template>
      </p>
    </section>

    <ArrangeLedger v-if="s.solid" />

    <section v-if="s.solid" class="row section">
      <ElButton @click="s.build('/arrange', { op: 'mark', ids: chosen, locked: !s.solid!.locked })">
        {{ s.solid.locked ? 'Unlock' : 'Lock' }}
      </ElButton>
      <ElButton @click="remove">Remove</ElButton>
    </section>
  </div>
</template>

<style scoped>
.name {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
  margin-bottom: 4px;
}
.profile {
  display: block;
  margin-top: 4px;
}
textarea {
  width: 100%;
  font: 12px var(--figure);
  background: #f8f7f3;
  border: 1px solid var(--rule);
  margin-top: 3px;
}
a {
  color: #26645d;
}
</style>
