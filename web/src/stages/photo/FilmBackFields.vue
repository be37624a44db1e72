<script setup lang="ts">
/** The film back that took the chosen photo: by figures, or by the usual formats' names. */
import { ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useShot } from '../../state/shot'
import { backOf, FORMATS, millimetresAPixel } from './back'
import { useFraming } from './framing'

const s = useShot()
const { framing } = useFraming()
const back = computed<[number, number] | null>(() => s.photo?.film_back_mm ?? null)
const shown = computed(() => back.value ?? backOf(s.photo!))
const named = computed(() => {
  if (!back.value) return 'unknown'
  const [w, h] = back.value
  return FORMATS.find(([, [a, b]]) => (a === w && b === h) || (a === h && b === w))?.[0] ?? 'figures'
})
function set(film_back_mm: Schemas['BackStated']['film_back_mm']) {
  const id = s.photo!.id
  return s.change('PUT', `/photos/${id}/film-back`, { film_back_mm }, (shot) => ({
    ...shot,
    photos: shot.photos.map((p) => (p.id === id ? { ...p, film_back_mm } : p)),
  }))
}
const choose = (name: string) => {
  if (name === 'unknown') return set(null)
  const format = FORMATS.find(([n]) => n === name)
  return format && set([...format[1]])
}
/** Millimetres of the back that the delivered frame takes. */
const taken = computed(() => {
  const photo = s.homePhoto
  if (!photo || photo.id !== s.photo?.id || !framing.value) return null
  const mm = millimetresAPixel(photo) * framing.value.scale
  const { width, height } = s.shot.delivery
  return `${(width * mm).toFixed(1)} × ${(height * mm).toFixed(1)} mm`
})
</script>

<template>
  <section class="section" data-film-back>
    <h2>Film back</h2>
    <ElSelect :model-value="named" aria-label="Film back" data-formats @change="choose">
      <ElOption value="unknown" label="Not known: 36 mm wide" />
      <ElOption v-for="[name, [w, h]] in FORMATS" :key="name" :value="name" :label="`${name} · ${w} × ${h} mm`" />
      <ElOption v-if="named === 'figures'" value="figures" label="By figures" />
    </ElSelect>
    <NumberField
      label="Back’s width"
      :model-value="shown[0]"
      unit="mm"
      :min="1"
      :max="500"
      @change="set([$event!, shown[1]])"
    />
    <NumberField
      label="Back’s height"
      :model-value="shown[1]"
      unit="mm"
      :min="1"
      :max="500"
      @change="set([shown[0], $event!])"
    />
    <p class="quiet">
      Focal lengths are for this film back.
      <template v-if="taken">The delivered frame takes {{ taken }} of it.</template>
    </p>
  </section>
</template>
