<script setup lang="ts">
/** A button that asks for a file. */
import { ElButton } from 'element-plus'
import { ref } from 'vue'

defineOptions({ inheritAttrs: false })
defineProps<{
  accept: string
  /** What marks it: the button by `data-…`, its field by `data-…-file`. */
  mark: string
  disabled?: boolean
}>()
const emit = defineEmits<{ chosen: [File] }>()
const field = ref<HTMLInputElement>()
function take(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = '' // the same one may be chosen once more
  if (file) emit('chosen', file)
}
</script>

<template>
  <ElButton :disabled="disabled" v-bind="{ ...$attrs, [`data-${mark}`]: '' }" @click="field?.click()"
    ><slot
  /></ElButton>
  <input ref="field" type="file" hidden :accept="accept" v-bind="{ [`data-${mark}-file`]: '' }" @change="take" />
</template>
