<script setup lang="ts">
/** Over the photo: shapes shaded, plates thrown, depth, or what lands on nothing. Drawn in the photo's own pixels. */
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import type { Camera, ShotState } from '../../api/client'
import { viewOf } from '../../board/camera'
import { Thrown } from '../../board/thrown'
import { looks } from './tools'

const props = defineProps<{ state: ShotState; photo: string; camera: Camera }>()
const gl = ref<HTMLCanvasElement>()
const three = computed(() => looks.how === 'shaded' || looks.how === 'thrown')
const WIDTH = 1440
const key = computed(() =>
  JSON.stringify([
    looks.how,
    props.state.shapes,
    props.camera,
    looks.how === 'thrown' ? [props.state.shot.throws, props.state.pictures] : null,
  ]),
)
let drawn: Thrown | null = null
async function draw() {
  if (!three.value) return void (drawn?.dispose(), (drawn = null))
  await nextTick()
  if (!gl.value) return
  try {
    drawn ??= new Thrown(gl.value, [0x000000, 0])
  } catch {
    return // said where the orbit view is asked for
  }
  await drawn.set(props.state, { shaded: looks.how === 'shaded', hide: true })
  const w = Math.min(WIDTH, props.camera.width)
  drawn?.render(viewOf(props.camera), w, Math.round((w * props.camera.height) / props.camera.width))
  if (gl.value) gl.value.dataset.drawn = looks.how
}
watch(key, () => void draw(), { immediate: true, flush: 'post' })
onBeforeUnmount(() => drawn?.dispose())
const picture = computed(() => {
  const base = `/api/shots/${props.state.id}`
  const tail = `photo=${props.photo}&width=1280&r=${props.state.revision}`
  if (looks.how === 'depth') return `${base}/depth?near=${looks.near}&far=${looks.far}&${tail}`
  if (looks.how === 'cover') return `${base}/cover?${tail}`
  return null
})
</script>

<template>
  <canvas v-if="three" ref="gl" class="sheet" data-look />
  <img v-else-if="picture" class="sheet" :src="picture" alt="" data-look draggable="false" />
</template>

<style scoped>
.sheet {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
</style>
