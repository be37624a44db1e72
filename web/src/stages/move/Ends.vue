<script setup lang="ts">
/** The move's first and last frame side by side, as they would be delivered; a press goes to one of them. */
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import FramePicture from '../../board/FramePicture.vue'
import { framePicture } from './framePicture'
import { useMove } from './move'

const emit = defineEmits<{ picked: [] }>()
const { s, report, shownOf } = useMove()
const host = ref<HTMLElement>()
const { width, height } = useElementSize(host)
const beside = computed(() => width.value / height.value > s.shot.delivery.width / s.shot.delivery.height)
const home = computed(() => s.keys.filter((k) => k.home).map((k) => shownOf(k.frame))[0])
const frames = computed(() =>
  [s.state!.first_frame, s.state!.last_frame].map((frame) => ({
    frame,
    src: framePicture(s, frame, beside.value ? width.value / 2 : width.value),
    holds: report.value?.report?.open.includes(frame)
      ? undefined
      : report.value?.report?.frames.find((f) => f.frame === frame)?.holds,
  })),
)
function pick(frame: number) {
  s.frame = frame
  emit('picked')
}
</script>

<template>
  <div ref="host" class="ends" :class="{ beside }" data-ends-shown @pointerdown.stop @wheel.stop>
    <figure v-for="f in frames" :key="f.frame">
      <FramePicture v-if="width" :src="f.src" :alt="`Frame ${f.frame}`" :data-end="f.frame" @click="pick(f.frame)" />
      <figcaption>
        Frame {{ f.frame }}{{ f.frame === home ? ', home' : ''
        }}<span v-if="f.holds !== undefined" :class="{ bad: !f.holds }">{{
          f.holds ? ' holds' : ' does not hold'
        }}</span>
      </figcaption>
    </figure>
  </div>
</template>

<style scoped>
.ends {
  position: absolute;
  inset: 0;
  background: #77776f;
  display: grid;
  gap: 8px;
  padding: 44px 12px 12px;
  cursor: default;
}
.ends.beside {
  grid-template-columns: 1fr 1fr;
}
figure {
  position: relative;
  margin: 0;
  min-height: 0;
  min-width: 0;
  display: flex;
  flex-direction: column;
  justify-content: center;
}
figure :deep(img) {
  width: 100%;
  min-height: 0;
  object-fit: contain;
  cursor: pointer;
}
figcaption {
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 3px 9px;
  align-self: center;
  margin-top: 6px;
}
.bad {
  color: var(--action);
}
</style>
