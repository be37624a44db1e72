<script setup lang="ts">
/**
 * What is delivered. Another size is the same frame, written finer or coarser; one of another aspect, and a length that
 * leaves something beyond the end, are told before they are taken.
 */
import { ElButton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Schemas, Vec2 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { alike, beyond, endOf, resized } from './frame'
import { useFraming } from './framing'

const s = useShot()
const { photo, framing } = useFraming()
const delivery = computed(() => s.shot.delivery)
const put = (change: Schemas['DeliveryChange']) => s.set('delivery', change)
const seconds = computed(() => (wanted.value ?? delivery.value.frames) / delivery.value.fps)
const ratio = computed(() => (now.value[0] / now.value[1]).toFixed(3))

/** A size of another aspect that has been typed and is not taken yet. */
const asked = ref<Vec2 | null>(null)
const size = computed<Vec2>(() => [delivery.value.width, delivery.value.height])
const now = computed(() => asked.value ?? size.value)
const sized = ([w, h]: Vec2) => `${w} × ${h} px`
const after = (to: Vec2) => resized(delivery.value, framing.value, photo.value, to)
function take(to: Vec2) {
  asked.value = null
  return s.change('PATCH', '/delivery', { width: to[0], height: to[1] }, (shot) => ({
    ...shot,
    delivery: resized(shot.delivery, framing.value, photo.value, to),
  }))
}
function setSize(to: Vec2) {
  if (!framing.value || alike(size.value, to)) return take(to)
  asked.value = to
  return true
}
/** Photo pixels that a frame takes. */
const covered = (d: Schemas['Delivery']): Vec2 => {
  const scale = d.framing?.scale ?? Math.min(photo.value!.width! / d.width, photo.value!.height! / d.height)
  return [Math.round(d.width * scale), Math.round(d.height * scale)]
}
/** The size of the frame's aspect with the side that was typed. */
const sameAspect = computed<Vec2>(() => {
  const [[w, h], [a, b]] = [size.value, now.value]
  return a === w ? [Math.round((b * w) / h), b] : [a, Math.round((a * h) / w)]
})

/** A length in frames that has been typed, and would leave something beyond the end. */
const wanted = ref<number | null>(null)
const first = computed(() => s.state!.first_frame)
const lastOf = (frames: number) => first.value + frames - 1
const late = computed(() => beyond(s.shot, lastOf(wanted.value ?? delivery.value.frames)))
/** Whether the shot has just been made longer than its move. */
const longer = ref(false)
const end = computed(() => endOf(s.shot, first.value))
function setLength(frames: number) {
  if (frames < delivery.value.frames && beyond(s.shot, lastOf(frames)).length) {
    wanted.value = frames
    return true
  }
  wanted.value = null
  longer.value = frames > delivery.value.frames && s.keys.length > 1
  return put({ frames })
}
async function last(how: NonNullable<Schemas['DeliveryChange']['beyond']>) {
  const frames = wanted.value ?? delivery.value.frames
  wanted.value = null
  longer.value = false
  await s.change('PATCH', '/delivery', { frames, beyond: how })
}
watch(
  () => s.id,
  () => {
    asked.value = wanted.value = null
    longer.value = false
  },
)
</script>

<template>
  <section class="section">
    <h2>Delivered</h2>
    <NumberField
      label="Width"
      :model-value="now[0]"
      unit="px"
      :digits="0"
      :min="16"
      :max="16384"
      @change="setSize([Math.round($event!), now[1]])"
    />
    <NumberField
      label="Height"
      :model-value="now[1]"
      unit="px"
      :digits="0"
      :min="16"
      :max="16384"
      @change="setSize([now[0], Math.round($event!)])"
    />
    <div v-if="asked && framing" class="asked" role="status" data-other-aspect>
      <p class="sentence">
        {{ sized(asked) }} has another aspect. The frame takes {{ sized(covered(delivery)) }} of the photo now. It would
        take {{ sized(covered(after(asked))) }}.
      </p>
      <ElButton class="sure" data-take-size @click="take(asked)">Deliver {{ sized(asked) }}</ElButton>
      <ElButton data-same-aspect @click="take(sameAspect)">Keep the aspect: {{ sized(sameAspect) }}</ElButton>
      <ElButton class="plain" @click="asked = null">Stay at {{ sized(size) }}</ElButton>
    </div>
    <NumberField
      label="Frame rate"
      :model-value="delivery.fps"
      unit="fps"
      :digits="3"
      :step="1"
      :min="0.1"
      :max="240"
      @change="put({ fps: $event })"
    />
    <NumberField
      label="Length"
      :model-value="wanted ?? delivery.frames"
      unit="f"
      :digits="0"
      :min="1"
      :max="100000"
      @change="setLength(Math.round($event!))"
    />
    <div v-if="late.length" class="asked" role="status" data-beyond>
      <p class="sentence warn">
        {{ late.join(', ') }} {{ late.length > 1 || !late[0].startsWith('1 ') ? 'lie' : 'lies' }} beyond frame
        {{ lastOf(wanted ?? delivery.frames) }}.
      </p>
      <ElButton class="sure" data-fit @click="last('fit')"
        >Fit the move to {{ wanted ?? delivery.frames }} frames</ElButton
      >
      <ElButton data-cut @click="last('cut')">Cut it at frame {{ lastOf(wanted ?? delivery.frames) }}</ElButton>
      <template v-if="wanted !== null">
        <ElButton data-leave @click="last('leave')">Leave them there</ElButton>
        <ElButton class="plain" @click="wanted = null">Stay at {{ delivery.frames }} frames</ElButton>
      </template>
    </div>
    <div v-else-if="longer && end < lastOf(delivery.frames)" class="asked" role="status" data-longer>
      <p class="sentence">The move ends on frame {{ end }}; the camera stands still after it.</p>
      <ElButton class="sure" data-fit @click="last('fit')">Fit the move to {{ delivery.frames }} frames</ElButton>
      <ElButton class="plain" @click="longer = false">Leave it</ElButton>
    </div>
    <p class="quiet figure">{{ seconds.toFixed(2) }} s · aspect {{ ratio }} : 1</p>
  </section>
</template>

<style scoped>
.asked {
  display: grid;
  gap: 4px;
  margin: 4px 0 8px;
  padding: 6px 0 8px;
  border-top: 1px solid var(--rule);
  border-bottom: 1px solid var(--rule);
}
.asked .sentence {
  margin: 0;
}
.asked button {
  justify-self: start;
  margin: 0;
}
</style>
