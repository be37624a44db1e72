<script setup lang="ts">
/** A figure with its unit: typed, kept on Enter or on leaving the field, given up with Escape. */
import { computed, ref, watch } from 'vue'

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
    id?: string
  }>(),
  { unit: '', digits: 2, empty: '', min: -Infinity, max: Infinity, disabled: false, id: undefined },
)
const emit = defineEmits<{ change: [value: number | null] }>()

const shown = computed(() =>
  props.modelValue === null || props.modelValue === undefined
    ? ''
    : String(Number(props.modelValue.toFixed(props.digits))),
)
const text = ref(shown.value)
const wrong = ref<string | null>(null)
/** What is being typed is not overwritten by news of the figure. */
let typing = false
let sent: string | null = null // told already, and not yet come back
watch(shown, (value) => {
  sent = null
  if (!typing) {
    text.value = value
    wrong.value = null
  }
})

function keep() {
  typing = false
  const raw = text.value.trim().replace(',', '.')
  if (raw === shown.value || raw === sent) return void (wrong.value = null)
  if (raw === '') {
    if (props.empty) emit('change', null)
    else text.value = shown.value
    return
  }
  const value = Number(raw)
  if (!Number.isFinite(value)) return void (wrong.value = `“${raw}” is not a number.`)
  if (value < props.min || value > props.max) {
    return void (wrong.value =
      props.max === Infinity
        ? `At least ${props.min} ${props.unit}, not ${value}.`
        : `From ${props.min} to ${props.max} ${props.unit}, not ${value}.`)
  }
  wrong.value = null
  sent = raw
  emit('change', value)
}
function giveUp() {
  typing = false
  text.value = shown.value
  wrong.value = null
}
function startTyping() {
  typing = true
  sent = null
}
</script>

<template>
  <label class="field">
    <span class="label">{{ label }}</span>
    <span class="box" :class="{ wrong: wrong }">
      <input
        :id="id"
        v-model="text"
        class="figure"
        inputmode="decimal"
        :placeholder="empty"
        :disabled="disabled"
        :aria-label="label"
        :aria-invalid="!!wrong"
        @input="startTyping"
        @keydown.enter="keep"
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
