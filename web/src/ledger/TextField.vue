<script setup lang="ts">
/** A line of text: kept on Enter or on leaving the field, given up with Escape; news do not overwrite what is typed. */
import { ref, watch } from 'vue'

const props = withDefaults(defineProps<{ modelValue: string; label: string; placeholder?: string; max?: number }>(), {
  placeholder: '',
  max: 120,
})
const emit = defineEmits<{ change: [string] }>()
const text = ref(props.modelValue)
let typing = false
watch(
  () => props.modelValue,
  (value) => {
    if (!typing) text.value = value
  },
)
function keep() {
  typing = false
  if (text.value.trim() !== props.modelValue) emit('change', text.value.trim())
}
function giveUp() {
  typing = false
  text.value = props.modelValue
}
</script>

<template>
  <label class="line">
    <span>{{ label }}</span>
    <input
      v-model="text"
      type="text"
      :maxlength="max"
      :placeholder="placeholder"
      :aria-label="label"
      @input="typing = true"
      @change="keep"
      @keydown.esc="giveUp"
    />
  </label>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
  margin-bottom: 4px;
}
</style>
