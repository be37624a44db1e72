<script setup lang="ts">
/** A line of text: kept on Enter or on leaving the field, given up with Escape; news do not overwrite what is typed. */
import { ElInput } from 'element-plus'
import { ref, watch } from 'vue'

const props = withDefaults(defineProps<{ modelValue: string; label: string; placeholder?: string; max?: number }>(), {
  placeholder: '',
  max: 120,
})
const emit = defineEmits<{ change: [string] }>()
const text = ref(props.modelValue)
const field = ref<InstanceType<typeof ElInput>>()
const typing = ref(false)
watch(
  () => props.modelValue,
  (value) => {
    if (!typing.value) text.value = value
  },
)
function endTyping() {
  typing.value = false
  delete field.value?.input?.dataset.typing // at once: whoever asks for what is typed has it
}
function keep() {
  endTyping()
  if (text.value.trim() !== props.modelValue) emit('change', text.value.trim())
}
function giveUp() {
  endTyping()
  text.value = props.modelValue
}
</script>

<template>
  <label class="line">
    <span>{{ label }}</span>
    <ElInput
      ref="field"
      v-model="text"
      :maxlength="max"
      :placeholder="placeholder"
      :aria-label="label"
      :data-typing="typing ? '' : undefined"
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
