<script setup lang="ts">
/** A frame's picture that the server draws: that it waits is said, and one that does not come is asked for again. */
import { computed, onBeforeUnmount, ref, watch } from 'vue'

defineOptions({ inheritAttrs: false })
const props = defineProps<{ src: string; alt: string }>()
const AGAIN = 2000 // ms
const LONG = 400 // ms: what comes sooner needs no telling
const shown = ref<'asked' | 'waits' | 'there' | 'failed'>('asked')
const tries = ref(0)
const address = computed(() => (tries.value ? `${props.src}&again=${tries.value}` : props.src))
let timer = 0
function ask() {
  window.clearTimeout(timer)
  shown.value = 'asked'
  timer = window.setTimeout(() => (shown.value = 'waits'), LONG)
}
function there() {
  window.clearTimeout(timer)
  shown.value = 'there'
}
function failed() {
  window.clearTimeout(timer)
  shown.value = 'failed'
  timer = window.setTimeout(() => tries.value++, AGAIN)
}
watch(() => [props.src, tries.value], ask, { immediate: true })
onBeforeUnmount(() => window.clearTimeout(timer))
</script>

<template>
  <img v-bind="$attrs" :key="tries" :src="address" :alt="alt" @load="there" @error="failed" />
  <span v-if="shown === 'waits'" class="waits" role="status" data-waits>Waiting for the server…</span>
  <span v-else-if="shown === 'failed'" class="waits" role="status" data-waits>No picture came. Trying again…</span>
</template>

<style scoped>
.waits {
  position: absolute;
  left: 8px;
  top: 8px;
  padding: 2px 7px;
  background: var(--paper);
  border: 1px solid var(--ink);
  font-size: 12px;
}
</style>
