<script setup lang="ts">
/** A photo on the board: enlarge, shift, a loupe while placing, and an SVG over it in screen pixels. */
import { computed, provide, ref, shallowRef, watch } from 'vue'
import type { Vec2 } from '../api/client'
import { begin, gesturing } from '../hand/gesture'
import { usePanZoom } from './usePanZoom'

const props = withDefaults(
  defineProps<{
    src: string | null
    width: number
    height: number
    loupe?: boolean
    opacity?: number
    cursor?: string
    label: string
  }>(),
  { opacity: 1, cursor: 'default', loupe: false },
)
const emit = defineEmits<{
  down: [Vec2, PointerEvent]
  move: [Vec2, PointerEvent]
  up: [Vec2, PointerEvent]
  /** What was pressed is given up: put everything back. */
  drop: []
  /** The pointer has left. */
  rest: []
  twice: [Vec2, MouseEvent]
}>()

const host = ref<HTMLElement>()
const image = ref<HTMLImageElement>()
const glass = ref<HTMLCanvasElement>()
const pan = usePanZoom(host, () => [0, 0, props.width, props.height])
const at = shallowRef<Vec2 | null>(null)
const LOUPE = 132
const ENLARGE = 6
const loaded = ref(false)
watch(
  () => props.src,
  () => (loaded.value = false),
)

provide('pan', pan)
defineExpose({ pan })

/** Where the pointer is, on the photo. */
function here(event: PointerEvent): Vec2 {
  at.value = pan.pointer(event)
  const p = pan.toPicture(at.value)
  if (props.loupe) requestAnimationFrame(() => drawLoupe(p))
  return p
}
function press(event: PointerEvent) {
  if (event.button !== 0 || pan.space.value) return
  host.value!.focus({ preventScroll: true })
  begin(event, host.value!, {
    move: (e) => emit('move', here(e), e),
    finish: (e) => emit('up', here(e), e),
    giveUp: () => emit('drop'),
  })
  emit('down', here(event), event)
}
function hover(event: PointerEvent) {
  if (!gesturing()) emit('move', here(event), event)
}
function leave() {
  if (gesturing()) return
  at.value = null
  emit('rest')
}

function drawLoupe(p: Vec2) {
  const canvas = glass.value
  const img = image.value
  if (!canvas || !img || !img.naturalWidth) return
  const g = canvas.getContext('2d')!
  const k = img.naturalWidth / props.width
  const span = LOUPE / ENLARGE
  g.imageSmoothingEnabled = false
  g.fillStyle = '#777'
  g.fillRect(0, 0, LOUPE, LOUPE)
  g.drawImage(img, (p[0] - span / 2) * k, (p[1] - span / 2) * k, span * k, span * k, 0, 0, LOUPE, LOUPE)
  g.strokeStyle = '#fff'
  g.beginPath()
  g.moveTo(LOUPE / 2, 0)
  g.lineTo(LOUPE / 2, LOUPE / 2 - 8)
  g.moveTo(LOUPE / 2, LOUPE / 2 + 8)
  g.lineTo(LOUPE / 2, LOUPE)
  g.moveTo(0, LOUPE / 2)
  g.lineTo(LOUPE / 2 - 8, LOUPE / 2)
  g.moveTo(LOUPE / 2 + 8, LOUPE / 2)
  g.lineTo(LOUPE, LOUPE / 2)
  g.stroke()
}

const loupePlace = computed(() => {
  if (!at.value) return {}
  const [x, y] = at.value
  const left = x + 26 + LOUPE > pan.width.value ? x - 26 - LOUPE : x + 26
  const top = y - 26 - LOUPE < 0 ? y + 26 : y - 26 - LOUPE
  return { left: `${left}px`, top: `${top}px` }
})
</script>

<template>
  <div
    ref="host"
    class="picture"
    role="group"
    tabindex="0"
    :aria-label="label"
    data-board
    :data-unit="pan.at.scale"
    :style="{ cursor: pan.shifting.value ? 'grabbing' : pan.space.value ? 'grab' : cursor }"
    @pointerdown="press"
    @pointermove="hover"
    @pointerleave="leave"
    @dblclick="emit('twice', pan.toPicture(pan.pointer($event)), $event)"
    @auxclick.prevent
    @dragstart.prevent
  >
    <div class="sheet" :style="{ transform: pan.transform.value, width: `${width}px`, height: `${height}px` }">
      <img
        v-if="src"
        ref="image"
        :src="src"
        alt=""
        draggable="false"
        :style="{ opacity: loaded ? opacity : 0 }"
        @load="loaded = true"
      />
      <slot name="under" />
    </div>
    <svg
      class="over"
      :width="pan.width.value"
      :height="pan.height.value"
      :data-scale="pan.at.scale"
      :data-x="pan.at.x"
      :data-y="pan.at.y"
    >
      <slot :pan="pan" />
    </svg>
    <canvas v-show="loupe && at" ref="glass" class="glass" :width="LOUPE" :height="LOUPE" :style="loupePlace" />
    <slot name="front" :pan="pan" />
  </div>
</template>

<style scoped>
.picture {
  position: absolute;
  inset: 0;
  overflow: hidden;
  touch-action: none;
  user-select: none;
  outline-offset: -3px;
}
.picture:focus:not(:focus-visible) {
  outline: none;
}
.picture:focus-visible {
  outline: 1px solid rgb(255 255 255 / 70%);
}
.sheet {
  position: absolute;
  left: 0;
  top: 0;
  transform-origin: 0 0;
}
img {
  position: absolute;
  width: 100%;
  height: 100%;
  user-select: none;
  pointer-events: none;
}
.over {
  position: absolute;
  inset: 0;
  overflow: hidden;
}
.glass {
  position: absolute;
  border: 1px solid #fff;
  outline: 1px solid var(--ink);
  pointer-events: none;
  box-shadow: 0 2px 8px rgb(0 0 0 / 40%);
}
</style>
