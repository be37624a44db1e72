<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import NumberField from '../../ledger/NumberField.vue'
import { unbroken } from '../../ledger/figures'
import BeginningSaid from '../photo/BeginningSaid.vue'
import FirstMove from '../photo/FirstMove.vue'
import { millimetresAPixel, WIDE_MM } from '../photo/back'
import type { KeyChange } from './figures'
import { useMove } from './move'
import AlongMove from './AlongMove.vue'
import HoldsFields from './HoldsFields.vue'
import PassFields from './PassFields.vue'
import IdeaFields from './IdeaFields.vue'
import MotionFields from './MotionFields.vue'
import Needs from './Needs.vue'
import PaintList from './PaintList.vue'
import TravelFields from './TravelFields.vue'
import WaysOut from './WaysOut.vue'

const { s, at, key, report, frameReport, frameOpen, checking, setKey, removeKey } = useMove()
const router = useRouter()
const bringing = ref(false)
const brought = ref<string | null>(null)
/** Millimetres of focal length at home: of the photo's film back. */
const home_mm = computed(() => {
  const photo = s.homePhoto
  if (photo?.camera) return photo.camera.focal_px * millimetresAPixel(photo)
  return ((s.state?.home_px ?? 0) * WIDE_MM) / s.shot.delivery.width
})
const mm = computed(() => (at.value ? at.value.zoom * home_mm.value : 0))
/** One axis of a position: the others stay. */
const place = (i: number, v: number) => [0, 1, 2].map((j) => (j === i ? v : null)) as KeyChange['position']
const limits = computed(() => s.shot.limits)
const setLimit = (change: object) => s.set('limits', change)
const share = (v: number) => `${v >= 10 ? v.toFixed(1) : v.toFixed(2)} %`

async function bringBack() {
  bringing.value = true
  brought.value = null
  const job = await s.work('/bring-back')
  bringing.value = false
  if (job?.state !== 'done') return
  const result = job.result as { fraction: number }
  brought.value =
    result.fraction >= 1
      ? 'The whole move holds; nothing had to be brought back.'
      : `Brought back to ${(100 * result.fraction).toFixed(1)} % of the way from home. Undo gives the longer move back.`
}
function act(action: string | null | undefined, frame: number | null | undefined) {
  if (action === 'bring_back') void bringBack()
  else if (action === 'add_throw') void router.push(`/shot/${s.id}/plates`)
  else if (frame !== null && frame !== undefined) s.frame = frame
}
</script>

<template>
  <div>
    <BeginningSaid />
    <section v-if="at" class="section">
      <h2>{{ key ? `Key on frame ${s.frame}` : `Frame ${s.frame}, between keys` }}</h2>
      <NumberField
        v-for="(axis, i) in ['run', 'rise', 'return']"
        :id="`key-${axis}`"
        :key="axis"
        :label="`At ${axis}`"
        :model-value="at.position[i]"
        unit="m"
        :digits="3"
        makes
        @change="setKey({ position: place(i, $event!) })"
      />
      <NumberField label="Pan" :model-value="at.pan_deg" unit="°" makes @change="setKey({ pan_deg: $event! })" />
      <NumberField
        label="Tilt"
        :model-value="at.tilt_deg"
        unit="°"
        :min="-89.9"
        :max="89.9"
        makes
        @change="setKey({ tilt_deg: $event! })"
      />
      <NumberField label="Roll" :model-value="at.roll_deg" unit="°" makes @change="setKey({ roll_deg: $event! })" />
      <NumberField
        label="Focal length"
        :model-value="mm"
        unit="mm"
        :min="1"
        :max="3000"
        makes
        @change="setKey({ zoom: $event! / home_mm })"
      />
      <HoldsFields />
      <PassFields />
      <div class="row" style="margin-top: 6px">
        <ElButton v-if="!key" data-set-key @click="setKey({})">Set a key here</ElButton>
        <ElButton v-if="!key?.home" :disabled="!s.state!.home" data-pin-home @click="setKey({ home: true })">
          Pin to home
        </ElButton>
        <ElButton v-else @click="setKey({ home: false })">Unpin from home</ElButton>
        <ElButton v-if="key" @click="removeKey()">Remove key</ElButton>
      </div>
      <p v-if="key?.home" class="quiet">Pinned to home: it follows the survey and the frame.</p>
    </section>

    <section v-if="s.state!.home || s.keys.length" class="section">
      <h2>Findings</h2>
      <p v-if="brought" class="sentence" role="status" data-brought>
        {{ brought }} <ElButton class="plain" @click="brought = null">Understood</ElButton>
      </p>
      <p v-if="checking && !report?.report" class="quiet">Checking every frame…</p>
      <div v-for="f in report?.findings ?? []" :key="f.text" class="sentence" :class="{ warn: f.action }" data-finding>
        {{ unbroken(f.text) }}
        <ElButton
          v-if="f.action === 'bring_back'"
          class="sure"
          :disabled="bringing"
          data-bring-back
          @click="act(f.action, f.frame)"
        >
          Bring back
        </ElButton>
        <ElButton
          v-else-if="f.action === 'mend_home'"
          class="sure"
          data-mend-home
          @click="s.change('POST', '/home/mend', { why: f.why!, who: f.who! })"
          >{{ f.remedy }}</ElButton
        >
        <ElButton v-else-if="f.action" class="plain" @click="act(f.action, f.frame)"
          >Go to frame {{ f.frame }}</ElButton
        >
      </div>
      <FirstMove v-if="s.keys.length < 2" class="sure" label="A first move" />
      <p v-if="s.keys.length < 2" class="quiet">
        A push-in that just holds, with ground and backdrop where nothing is built. Or by hand: go to another frame and
        drag in the lens or plan view: that sets a key there.
      </p>
    </section>

    <Needs title="From an idea" says="Push in, slide, rise, arc: a kind of move, and how far." wants="home">
      <IdeaFields />
    </Needs>
    <Needs title="How it travels" says="Pace, aim, sway, and what the camera rides on." wants="home">
      <TravelFields />
    </Needs>
    <Needs title="Things that move" says="Pieces and groups with keys of their own." wants="pieces">
      <MotionFields />
    </Needs>
    <Needs title="Ways out" says="Of a move that does not hold: six, each with what it costs." wants="move">
      <WaysOut />
    </Needs>
    <Needs title="Paint list" says="Which surfaces frames show that no plate covers." wants="move">
      <PaintList />
    </Needs>
    <Needs title="Along the move" says="How fast it runs, how near the pictures end, what will look flat." wants="move">
      <AlongMove />
    </Needs>

    <section v-if="frameReport" class="section">
      <h2>Frame {{ s.frame }} {{ frameOpen ? 'is open' : frameReport.holds ? 'holds' : 'does not hold' }}</h2>
      <table class="facts">
        <tbody>
          <tr v-for="v in ['soft', 'smeared', 'spilled', 'bare', 'void'] as const" :key="v">
            <td>{{ v }}</td>
            <td class="number">{{ share(frameReport[v]) }}</td>
          </tr>
          <tr>
            <td>Stretch, worst 0.1 %</td>
            <td class="number">{{ frameReport.worst_stretch.toFixed(2) }} : 1</td>
          </tr>
          <tr>
            <td>Magnification, worst 0.1 %</td>
            <td class="number">{{ frameReport.worst_magnification.toFixed(2) }} px per px</td>
          </tr>
        </tbody>
      </table>
    </section>

    <section class="section">
      <h2>A frame holds within</h2>
      <NumberField
        label="Stretch"
        :model-value="limits.stretch"
        unit=": 1"
        :min="1"
        :max="100"
        @change="setLimit({ stretch: $event })"
      />
      <NumberField
        label="Magnification"
        :model-value="limits.magnification"
        unit="px/px"
        :min="0.01"
        :max="100"
        @change="setLimit({ magnification: $event })"
      />
      <NumberField
        label="Without picture"
        :model-value="limits.gap_percent"
        unit="%"
        :min="0"
        :max="100"
        @change="setLimit({ gap_percent: $event })"
      />
      <NumberField
        label="Strained"
        :model-value="limits.strain_percent"
        unit="%"
        :min="0"
        :max="100"
        @change="setLimit({ strain_percent: $event })"
      />
    </section>
  </div>
</template>

<style scoped>
.sentence button.sure {
  margin-top: 7px;
  display: block;
}
</style>
