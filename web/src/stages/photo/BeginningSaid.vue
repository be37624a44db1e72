<script setup lang="ts">
/** What a beginning or a first move has to say: what was found, what was assumed, what to do next. */
import { ElButton } from 'element-plus'
import { useBeginning } from './beginning'

const { notes, understood } = useBeginning()
</script>

<template>
  <section v-if="notes.length" class="section" role="status" data-said>
    <p v-for="(note, i) in notes" :key="note" class="sentence">
      {{ note }} <ElButton v-if="i === notes.length - 1" class="plain" @click="understood">Understood</ElButton>
    </p>
  </section>
</template>
