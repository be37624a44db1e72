<script setup lang="ts">
/** The plate in its photo, and beside it a face squared up, where one is opened. */
import { ref } from 'vue'
import Divider from '../../board/Divider.vue'
import { useSplit } from '../../board/useSplit'
import { useShot } from '../../state/shot'
import PlatesBoard from './PlatesBoard.vue'
import { straightFace } from './steps'
import StraightPane from './StraightPane.vue'

const s = useShot()
const pair = ref<HTMLElement>()
const open = () => !!straightFace.value && !!s.plate
const split = useSplit(pair, open)
</script>

<template>
  <div ref="pair" class="pair" :style="split.style.value">
    <div class="half"><PlatesBoard /></div>
    <Divider v-if="open()" v-model="split.share.value" :beside="split.beside.value" />
    <div v-if="open()" class="half"><StraightPane :key="s.plate!.id + straightFace" :plate="s.plate!" /></div>
  </div>
</template>

<style scoped>
.pair {
  position: absolute;
  inset: 0;
  display: grid;
}
.half {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
</style>
