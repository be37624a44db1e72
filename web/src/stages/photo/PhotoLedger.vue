<script setup lang="ts">
import { ElButton, ElRadio } from 'element-plus'
import { computed, ref } from 'vue'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import type { Schemas } from '../../api/client'
import BeginningSaid from './BeginningSaid.vue'
import DeliveredFields from './DeliveredFields.vue'
import FilmBackFields from './FilmBackFields.vue'
import FirstMove from './FirstMove.vue'
import { useBeginning } from './beginning'
import { resized, unenlarged } from './frame'
import { useFraming } from './framing'

const s = useShot()
const { photo: home, framing, margins, sentences, set } = useFraming()
const delivery = computed(() => s.shot.delivery)
const put = (change: Schemas['DeliveryChange']) => s.set('delivery', change)
/** The size at which the photo would not be enlarged. */
const sharp = computed(() => unenlarged(delivery.value, framing.value?.scale ?? 1))
const deliverSharp = () =>
  s.change('PATCH', '/delivery', { width: sharp.value[0], height: sharp.value[1] }, (shot) => ({
    ...shot,
    delivery: resized(shot.delivery, framing.value, home.value, sharp.value),
  }))
/** The largest frame that fits the photo, in its middle. */
function largest() {
  const { width, height } = home.value!
  const scale = Math.min(width! / delivery.value.width, height! / delivery.value.height)
  return put({ framing: { scale, centre: [width! / 2, height! / 2] } })
}
const { again, under } = useBeginning()
/** How many flats carry a layer that was cut out already. */
const layers = computed(
  () =>
    s.shot.plates.filter(
      (p) =>
        p.role === 'foreground' &&
        !s.shot.photos.some((photo) => photo.file === p.file) &&
        s.shot.solids.some((x) => x.id === `${p.id}-flat`),
    ).length,
)
const newer = ref<HTMLInputElement>()
function bringAgain(event: Event) {
  const input = event.target as HTMLInputElement
  if (input.files?.length) void again([...input.files])
  input.value = ''
}
const facts = computed(() => s.photo?.facts)
/** A frame over the home photo that leaves room to step aside. */
const ROOM = 0.85
function leaveRoom() {
  const { width, height } = home.value!
  const scale = ROOM * Math.min(width! / delivery.value.width, height! / delivery.value.height)
  return put({ framing: { scale, centre: [width! / 2, height! / 2] } })
}
</script>

<template>
  <div>
    <BeginningSaid />
    <DeliveredFields />

    <section v-if="framing && margins" class="section">
      <h2>Frame over the photo</h2>
      <p v-for="line in sentences" :key="line" class="sentence warn" role="status">{{ line }}</p>
      <ElButton v-if="framing.scale < 0.999" class="plain" data-sharp @click="deliverSharp"
        >Deliver {{ sharp[0] }} × {{ sharp[1] }} px</ElButton
      >
      <NumberField
        label="Photo px per delivered px"
        :model-value="framing.scale"
        unit=": 1"
        :digits="3"
        :min="0.05"
        :max="100"
        @change="set({ scale: $event! })"
      />
      <table class="facts">
        <tbody>
          <tr v-for="side in ['left', 'right', 'top', 'bottom'] as const" :key="side">
            <td>Margin {{ side }}</td>
            <td class="number" :class="{ wrong: margins[side] < -0.5 }">{{ Math.round(margins[side]) }} px</td>
            <td class="number">
              {{
                ((100 * margins[side]) / (side === 'left' || side === 'right' ? home!.width! : home!.height!)).toFixed(
                  1,
                )
              }}
              %
            </td>
          </tr>
        </tbody>
      </table>
      <div class="row" style="margin-top: 8px">
        <ElButton @click="largest">Largest frame that fits</ElButton>
        <ElButton
          title="85 % of the photo: the camera may step aside without its border showing"
          data-room
          @click="leaveRoom"
          >With room to move</ElButton
        >
      </div>
    </section>

    <section v-if="s.photo && s.keys.length < 2" class="section">
      <FirstMove class="main" label="A first move" />
      <p class="quiet">
        {{ s.homePhoto ? 'Ground' : 'Assumes a camera where there is none; ground' }} and backdrop where nothing is
        built, and a push-in that just holds.
      </p>
    </section>

    <section v-if="layers" class="section">
      <h2>Layers</h2>
      <p class="quiet">
        {{ layers }} {{ layers === 1 ? 'flat carries' : 'flats carry' }} a layer. A newer file is put in by the names of
        its layers; what was done to them stays.
      </p>
      <div class="blend" role="radiogroup" aria-label="How layers blend">
        <ElRadio :model-value="delivery.blend" value="as_painted" name="blend" @change="put({ blend: 'as_painted' })"
          >Blend as painted: display values</ElRadio
        >
        <ElRadio :model-value="delivery.blend" value="as_light" name="blend" @change="put({ blend: 'as_light' })"
          >Blend as light: linear light</ElRadio
        >
      </div>
      <ElButton :disabled="!!under" data-again @click="newer?.click()">{{
        under ? 'At work…' : 'Put layers in again…'
      }}</ElButton>
      <input
        ref="newer"
        type="file"
        data-again-file
        multiple
        hidden
        accept=".png,.tif,.tiff,.webp,.ora,.svg"
        @change="bringAgain"
      />
    </section>

    <section v-if="s.shot.photos.length" class="section">
      <h2>Photos</h2>
      <table class="facts">
        <tbody>
          <tr
            v-for="p in s.shot.photos"
            :key="p.id"
            class="pick"
            :class="{ chosen: p.id === s.photo?.id }"
            tabindex="0"
            @click="s.photoId = p.id"
            @keydown.enter="s.photoId = p.id"
          >
            <td>{{ p.name }}</td>
            <td class="number">{{ p.width }} × {{ p.height }} px</td>
          </tr>
        </tbody>
      </table>
    </section>

    <FilmBackFields v-if="s.photo" />

    <section v-if="s.photo && facts" class="section">
      <h2>What the file says</h2>
      <table class="facts">
        <tbody>
          <tr>
            <td>Focal length</td>
            <td class="number">{{ facts.focal_mm ? `${facts.focal_mm} mm` : 'not there' }}</td>
          </tr>
          <tr>
            <td>35 mm equivalent</td>
            <td class="number">{{ facts.focal_35mm ? `${facts.focal_35mm} mm` : 'not there' }}</td>
          </tr>
          <tr>
            <td>Camera</td>
            <td class="number">{{ facts.taken_with ?? 'not there' }}</td>
          </tr>
          <tr>
            <td>Depth</td>
            <td class="number">{{ facts.bits }} bit</td>
          </tr>
          <tr>
            <td>Colour</td>
            <td class="colour" data-colour>{{ facts.colour ?? (facts.bits === 32 ? 'linear light' : 'sRGB') }}</td>
          </tr>
        </tbody>
      </table>
      <p v-for="note in facts.notes" :key="note" class="quiet" data-note>{{ note }}</p>
      <ElButton class="plain" @click="s.change('DELETE', `/photos/${s.photo!.id}`)">Remove this photo</ElButton>
    </section>
  </div>
</template>

<style scoped>
.colour {
  text-align: right;
}
</style>
