<script setup lang="ts">
/** What a part of Move needs and has not got yet, with the button that makes it. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { useShot } from '../../state/shot'
import FirstMove from '../photo/FirstMove.vue'

/** `home`: a camera to move from; `pieces`: a set as well; `move`: two keys as well. */
const props = defineProps<{ title: string; says: string; wants: 'home' | 'pieces' | 'move' }>()
const s = useShot()
const router = useRouter()
const missing = computed(() => {
  if (!s.shot.photos.length) return 'It needs a photo.'
  if (!s.state!.home && !s.keys.length)
    return 'It needs a surveyed photo with a scale. A first move assumes what is not known.'
  if (props.wants !== 'home' && !s.shot.solids.length) return 'It needs a set with pieces.'
  if (props.wants === 'move' && s.keys.length < 2) return 'It needs two keys.'
  return ''
})
</script>

<template>
  <section v-if="missing" class="section" :data-needs="title">
    <h2>{{ title }}</h2>
    <p class="quiet">{{ says }} {{ missing }}</p>
    <FirstMove v-if="s.shot.photos.length" label="A first move" />
    <ElButton v-else @click="router.push(`/shot/${s.id}/photo`)">Bring a photo</ElButton>
  </section>
  <slot v-else />
</template>
