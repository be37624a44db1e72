<script setup lang="ts">
/** One press for a set that is whole from home and a push-in that holds. */
import { ElButton } from 'element-plus'
import { useRouter } from 'vue-router'
import { useShot } from '../../state/shot'
import { useBeginning } from './beginning'

defineProps<{ label: string }>()
const s = useShot()
const router = useRouter()
const { under, firstMove } = useBeginning()
async function make() {
  const job = await firstMove()
  if (job?.state === 'done') await router.push(`/shot/${s.id}/move`)
}
</script>

<template>
  <ElButton :disabled="!!under" data-first-move @click="make">{{ under ? 'At work…' : label }}</ElButton>
</template>
