<script setup lang="ts">
import { ElButton, ElCheckbox, ElRadio } from 'element-plus'
import { computed, ref } from 'vue'
import { useShot } from '../../state/shot'
import { useMove } from '../move/move'

const s = useShot()
const { report } = useMove()
const FORMS = {
  frames: [
    ['png', 'PNG frames, 8 bit'],
    ['png16', 'PNG frames, 16 bit'],
    ['tiff', 'TIFF frames, 16 bit'],
    ['exr', 'OpenEXR frames, linear'],
  ],
  video: [
    ['mp4', 'MP4 video, H.264'],
    ['webm', 'WebM video, VP9'],
    ['av1', 'MP4 video, AV1, 10 bit'],
    ['ffv1', 'Matroska video, FFV1, without loss'],
  ],
  scene: [
    ['glb', 'glTF, one file'],
    ['gltf', 'glTF, text'],
    ['usda', 'USD, text'],
    ['obj', 'OBJ, without camera'],
  ],
  package: [
    ['zip', 'Shot package'],
    ['ora', 'The flats as layers, OpenRaster'],
  ],
} as const
const group = ref<keyof typeof FORMS>('video')
type Form = (typeof FORMS)[keyof typeof FORMS][number][0]
const form = ref<Form>('mp4')
const GROUPS: Record<keyof typeof FORMS, string> = {
  video: 'Video',
  frames: 'Frames',
  scene: 'Scene',
  package: 'Package',
}
const bend = ref(false)
const alpha = ref(true)
const depth = ref(false)
const apart = ref(false)
/** What lies on a scene's faces. */
const faces = ref<'png' | 'png16' | 'exr' | 'photo'>('png')
const FACES = [
  ['png', 'A picture for each face, PNG, 8 bit'],
  ['png16', 'A picture for each face, PNG, 16 bit'],
  ['exr', 'A picture for each face, OpenEXR'],
  ['photo', 'Photos and plates as they are'],
] as const
const offered = computed(() => FACES.filter(([f]) => f !== 'exr' || !form.value.startsWith('gl')))
/** Into how many parts the sides of a proof are divided: 1 for what is delivered. */
const proof = ref<1 | 2 | 4>(1)
const PROOFS = [
  [1, 'Full size'],
  [2, 'Proof, half size'],
  [4, 'Proof, quarter size'],
] as const
const size = computed(() => [d.value.width, d.value.height].map((v) => Math.max(16, Math.round(v / proof.value))))
const halved = computed(() => group.value === 'video' && form.value !== 'ffv1')
const even = (n: number) => n + (n % 2)
const sized = (width: number, height: number) => `${width} × ${height} px`
/** The home photo, when its lens bends. */
const bending = computed(() => s.shot.photos.find((p) => p.camera))
const bends = computed(() => (bending.value?.camera?.distortion as number[] | undefined)?.some(Boolean) ?? false)
const pictures = computed(() => group.value === 'video' || group.value === 'frames')
const ready = computed(() => s.shot.solids.length > 0 || group.value === 'package')
const d = computed(() => s.shot.delivery)
const open = computed(() => report.value?.report?.open ?? [])
const failing = computed(
  () => report.value?.report?.frames.filter((f) => !f.holds && !open.value.includes(f.frame)).length ?? 0,
)
const running = computed(() =>
  Object.values(s.jobs).some((j) => ['deliver', 'export'].includes(j.kind) && ['waiting', 'running'].includes(j.state)),
)
/** Whether frames can carry more than their picture: OpenEXR that is not bent as a lens does. */
const beyond = computed(() => form.value === 'exr' && !(bend.value && bends.value))
const deliver = () =>
  s.work('/deliveries', {
    form: form.value,
    bend: bend.value && bends.value && pictures.value,
    alpha: group.value !== 'frames' || alpha.value,
    proof: pictures.value ? proof.value : 1,
    depth: beyond.value && depth.value,
    apart: beyond.value && apart.value,
    textures: faces.value === 'photo' ? 'photo' : 'faces',
    pictures:
      group.value === 'scene'
        ? (offered.value.flatMap(([f]) => (f === faces.value && f !== 'photo' ? [f] : []))[0] ?? 'png')
        : 'png',
  })
function choose(g: keyof typeof FORMS) {
  group.value = g
  form.value = FORMS[g][0][0]
}
</script>

<template>
  <div>
    <section class="section">
      <h2>Deliver</h2>
      <p v-if="failing" class="sentence warn">{{ failing }} frames do not hold. They are delivered as they are.</p>
      <p v-else-if="(!report?.report || open.length) && s.keys.length > 1" class="sentence" data-unchecked>
        The move is not checked yet. The delivery will be checked. Its row will show the result.
      </p>
      <div class="groups" role="group" aria-label="What to deliver">
        <ElButton v-for="(n, g) in GROUPS" :key="g" :class="{ on: group === g }" :data-group="g" @click="choose(g)">
          {{ n }}
        </ElButton>
      </div>
      <ElRadio v-for="[f, n] in FORMS[group]" :key="f" v-model="form" class="form" name="form" :value="f">{{
        n
      }}</ElRadio>
      <ElCheckbox
        v-if="bends && pictures"
        v-model="bend"
        class="form"
        title="Frames as the photo's lens would have drawn them, to lie over footage of it"
        data-bend
        >Bend as the lens of {{ bending!.name }} does</ElCheckbox
      >
      <ElCheckbox v-if="group === 'frames'" v-model="alpha" class="form" data-alpha
        >Alpha in every frame{{ alpha ? '' : '; without it, over black' }}</ElCheckbox
      >
      <ElCheckbox
        v-if="form === 'exr'"
        v-model="depth"
        class="form"
        :disabled="!beyond"
        title="Channel Z, 32 bit, infinite where nothing is; not together with a bent lens"
        data-depth
        >Depth in metres</ElCheckbox
      >
      <ElCheckbox
        v-if="form === 'exr'"
        v-model="apart"
        class="form"
        :disabled="!beyond"
        title="A second part with a number for each piece, named in its header; not together with a bent lens"
        data-apart
        >Numbers that tell pieces apart</ElCheckbox
      >
      <fieldset v-if="group === 'scene'" class="faces" data-faces>
        <legend>On its faces</legend>
        <ElRadio v-for="[f, n] in offered" :key="f" v-model="faces" class="form" name="faces" :value="f">{{
          n
        }}</ElRadio>
        <p v-if="faces === 'photo'" class="sentence">
          Faces are cut up until the picture lies in place to half a pixel. What a plate does not reach is not told from
          what it does behind other pieces.
        </p>
      </fieldset>
      <div v-if="pictures" class="proofs" role="radiogroup" aria-label="Size">
        <ElRadio v-for="[n, name] in PROOFS" :key="n" v-model="proof" class="form" name="proof" :value="n">{{
          name
        }}</ElRadio>
      </div>
      <p v-if="halved && (size[0] % 2 || size[1] % 2)" class="sentence warn" data-odd>
        This video halves its colour and needs even sizes: it becomes {{ sized(even(size[0]), even(size[1])) }}, the
        last row or column repeated.
      </p>
      <p v-if="pictures" class="figure quiet">{{ sized(size[0], size[1]) }} · {{ d.frames }} f · {{ d.fps }} fps</p>
      <ElButton class="main" :disabled="!ready || running" data-deliver @click="deliver">
        {{
          running
            ? 'At work…'
            : `Deliver as v${String(Math.max(0, ...s.state!.deliveries.map((x) => x.version)) + 1).padStart(3, '0')}`
        }}
      </ElButton>
      <p v-if="!ready" class="quiet">Build what the photo shows first; there is nothing to render yet.</p>
    </section>
    <section class="section">
      <h2>Delivered</h2>
      <p v-if="!s.state!.deliveries.length" class="quiet">Nothing yet. Versions are never overwritten.</p>
      <table v-else class="facts" data-deliveries>
        <tbody>
          <tr v-for="x in s.state!.deliveries" :key="x.id">
            <td class="figure">v{{ String(x.version).padStart(3, '0') }}</td>
            <td>
              {{ x.form }}<span v-if="!x.current" class="quiet">, shot changed since</span>
              <span v-if="x.says" class="says" :class="{ wrong: x.says.includes('do not hold') }">{{ x.says }}</span>
            </td>
            <td class="number">{{ x.made.slice(11, 16) }} UTC</td>
            <td class="number"><a :href="`/api/shots/${s.id}/deliveries/${x.id}/file`" download>Save</a></td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.groups {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  margin-bottom: 10px;
}
.groups button {
  margin-right: -1px;
  padding: 7px 2px;
}
.says {
  display: block;
  font-size: 12px;
}
.faces {
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 8px 0 0;
  padding: 6px 0 0;
}
.proofs {
  border-top: 1px solid var(--rule);
  margin-top: 8px;
  padding-top: 6px;
}
.form {
  display: flex;
  padding: 3px 0;
}
button.main {
  margin: 10px 0 6px;
  width: 100%;
  padding: 10px;
}
a {
  color: #26645d;
  font-family: var(--text);
  font-size: 13px;
}
</style>
