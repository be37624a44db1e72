<script setup lang="ts">
/**
 * A figure with its unit: typed, also as a sum; changed by Up and Down, or by dragging along its label. Kept on Enter
 * or on leaving the field, given up with Escape. What is refused stays in the field for another try.
 */
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { begin } from '../hand/gesture'
import { held } from '../hand/held'
import { useShot } from '../state/shot'
import { figureOf, stepped, strideOf } from './figures'

const props = withDefaults(
  defineProps<{
    modelValue: number | null
    label: string
    unit?: string
    digits?: number
    min?: number
    max?: number
    empty?: string
    disabled?: boolean
    /** Whether a figure that is typed counts though it is there already: it makes a key. */
    makes?: boolean
    id?: string
    /** How far Up and Down go. */
    step?: number
    /** Told of a new value; when it comes to false, the value was refused. */
    onChange?: (value: number | null) => unknown
  }>(),
  {
    unit: '',
    digits: 2,
    empty: '',
    min: -Infinity,
    max: Infinity,
    disabled: false,
    makes: false,
    id: undefined,
    step: undefined,
    onChange: undefined,
  },
)
const REST = 400 // ms without a further key
const PIXELS = 4 // of a drag along the label, a step

const s = useShot()
const plain = (value: number | null | undefined) =>
  value === null || value === undefined ? '' : String(Number(value.toFixed(props.digits)))
const shown = computed(() => plain(props.modelValue))
const text = ref(shown.value)
const input = ref<HTMLInputElement>()
const wrong = ref<string | null>(null)
/** What is being typed is not overwritten by news of the figure. */
const typing = ref(false)
let sent: string | null = null // told already, and not yet come back
let told = 0 // how often; what was told before is not asked about any more
watch(shown, (value) => {
  sent = null
  if (typing.value) return
  text.value = value
  wrong.value = null
})

function endTyping() {
  stepping.drop()
  typing.value = false
  delete input.value?.dataset.typing // at once: whoever asks for what is typed has it
}
function keep() {
  const typed = typing.value
  endTyping()
  const raw = text.value.trim()
  const known = raw === sent || (raw === shown.value && !(props.makes && typed))
  if (known) return void (wrong.value = null)
  if (raw === '') {
    if (props.empty) void tell(null, raw)
    else text.value = shown.value
    return
  }
  const value = figureOf(raw)
  if (value === null) return void (wrong.value = `“${raw}” is not a number.`)
  if (value < props.min || value > props.max) {
    return void (wrong.value =
      props.max === Infinity
        ? `At least ${props.min} ${props.unit}, not ${plain(value)}.`
        : `From ${props.min} to ${props.max} ${props.unit}, not ${plain(value)}.`)
  }
  void tell(value, raw)
}
async function tell(value: number | null, raw: string) {
  wrong.value = null
  sent = raw
  const mine = ++told
  if ((await props.onChange?.(value)) !== false || typing.value || mine !== told) return
  sent = null
  text.value = raw
  wrong.value = s.problem ?? 'That was not taken.'
}
// a field that goes while it is typed into, since something else was chosen, keeps what was typed
onBeforeUnmount(() => {
  if (typing.value) keep()
})
function giveUp() {
  endTyping()
  text.value = shown.value
  wrong.value = null
}
function startTyping() {
  typing.value = true
  sent = null
}
const stepping = held(keep, REST)
const by = () => props.step ?? (props.digits >= 3 ? 0.1 : 1)
function stride(event: KeyboardEvent, way: number) {
  const now = figureOf(text.value) ?? props.modelValue
  if (now === null || props.disabled) return
  startTyping()
  text.value = String(stepped(now, way * strideOf(by(), event), props.min, props.max))
  stepping.again()
}
function drag(event: PointerEvent) {
  const from = figureOf(text.value) ?? props.modelValue
  if (event.button !== 0 || from === null || props.disabled) return
  begin(event, event.currentTarget as Element, {
    move: (e) => {
      const strides = Math.trunc((e.clientX - event.clientX) / PIXELS)
      if (strides === 0 && !typing.value) return
      startTyping()
      text.value = String(stepped(from, strides * strideOf(by(), e), props.min, props.max))
    },
    finish: () => {
      if (typing.value) keep()
    },
    giveUp,
  })
}
</script>

<template>
  <label class="field">
    <span class="label" title="Drag along it to change the figure" @pointerdown="drag">{{ label }}</span>
    <span class="box" :class="{ wrong: wrong }">
      <input
        :id="id"
        ref="input"
        v-model="text"
        class="figure"
        inputmode="decimal"
        :placeholder="empty"
        :disabled="disabled"
        :aria-label="label"
        :aria-invalid="!!wrong"
        :data-typing="typing ? '' : undefined"
        @input="startTyping"
        @keydown.enter="keep"
        @keydown.up.prevent="stride($event, 1)"
        @keydown.down.prevent="stride($event, -1)"
        @blur="keep"
        @keydown.esc="giveUp"
      />
      <span class="unit">{{ unit }}</span>
    </span>
    <span v-if="wrong" class="told wrong" role="alert">{{ wrong }}</span>
  </label>
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
  column-gap: 8px;
  padding: 2px 0;
}
.label {
  cursor: ew-resize;
  touch-action: none;
  user-select: none;
}
.box {
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--rule);
  background: #f8f7f3;
  width: 118px;
}
.box:focus-within {
  border-color: var(--ink);
}
.box.wrong {
  border-color: var(--action);
}
.box input {
  border: 0;
  background: none;
  width: 0;
  flex: 1;
  padding: 4px 0 4px 6px;
}
.box input:focus-visible {
  outline: none;
}
.unit {
  padding: 0 6px 0 5px;
  color: var(--ink-soft);
  font-size: 12px;
  min-width: 24px;
}
.told {
  grid-column: 1 / 3;
  font-size: 12px;
}
</style>
