<script setup lang="ts">
import { onBeforeUnmount, onMounted } from 'vue'
import { keepFocus } from './hand/focus'

let end = () => {}
onMounted(() => (end = keepFocus()))
onBeforeUnmount(() => end())
</script>

<template><RouterView /></template>
