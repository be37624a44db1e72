<script setup lang="ts">
/** One press for a set that is whole from home and a push-in that holds. */
import { ElButton } from 'element-plus'
import { useBeginning } from './beginning'

const { under, firstMove } = useBeginning()
</script>

<template>
  <ElButton :disabled="!!under" data-first-move @click="firstMove"><slot /></ElButton>
</template>
