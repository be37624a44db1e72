<script setup lang="ts">
/** How long a tape is that has just been drawn, asked for where it lies. A key that is no figure's goes on its way. */
import { computed, nextTick, ref, watch } from 'vue'
import type { Vec2 } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import { useSurvey } from './survey'

const props = defineProps<{ toScreen: (p: Vec2) => Vec2 }>()
/** The id of the tape. */
const asked = defineModel<string | null>({ required: true })
const { survey, setTape } = useSurvey()
const box = ref<HTMLElement>()
const tape = computed(() => survey.value?.lengths.find((t) => t.id === asked.value) ?? null)
const place = computed(() => {
  const [a, b] = [props.toScreen(tape.value!.a as Vec2), props.toScreen(tape.value!.b as Vec2)]
  // beside its middle, and whole on the board
  const within = (at: number, size: number) => `max(0px, min(${at}px, calc(100% - ${size}px)))`
  return { left: within((a[0] + b[0]) / 2 + 14, 246), top: within((a[1] + b[1]) / 2 + 10, 44) }
})
watch(
  () => tape.value?.id,
  async (id) => {
    if (!id) return
    await nextTick()
    const input = box.value?.querySelector('input')
    input?.focus({ preventScroll: true })
    input?.select()
  },
  { immediate: true },
)
const board = () => box.value?.parentElement?.closest<HTMLElement>('[data-board]')
function end() {
  if (box.value?.contains(document.activeElement)) board()?.focus({ preventScroll: true })
  asked.value = null
}
function pass(event: KeyboardEvent) {
  const figure = /^[\d.,+\-*/() ]$/.test(event.key)
  if (event.key.length > 1 || figure || event.ctrlKey || event.metaKey) return
  const on = board()
  end()
  event.preventDefault()
  const { key, code, shiftKey, altKey } = event
  on?.dispatchEvent(new KeyboardEvent('keydown', { key, code, shiftKey, altKey, bubbles: true, cancelable: true }))
}
function left(event: FocusEvent) {
  if (!box.value?.contains(event.relatedTarget as Node | null)) asked.value = null
}
async function keep(id: string, metres: number | null) {
  if ((await setTape(id, metres)) === false) return false
  end()
}
</script>

<template>
  <div
    v-if="tape"
    ref="box"
    class="ask"
    :style="place"
    data-tape-ask
    @pointerdown.stop
    @keydown.capture="pass"
    @keydown.enter="end"
    @keydown.esc.stop="end"
    @focusout="left"
  >
    <NumberField
      label="How long is it?"
      :model-value="tape.metres"
      unit="m"
      :digits="3"
      @change="keep(tape.id, $event)"
    />
  </div>
</template>

<style scoped>
.ask {
  position: absolute;
  width: 238px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 4px 8px;
  box-shadow: 0 2px 8px rgb(0 0 0 / 30%);
  cursor: default;
}
</style>
