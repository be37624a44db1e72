<script setup lang="ts">
/** The cursor that keys move over the boards. */
import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount } from 'vue'
import { cursor, cursorFollows, cursorKey, cursorWords, putAway, toggleCursor } from './cursor'
import { useKeys } from './keys'

useKeys('everywhere', { cursor: toggleCursor })
// before the boards and the strip, to which arrows and the space bar mean other things
useEventListener(
  window,
  'keydown',
  (event: KeyboardEvent) => {
    if (!cursorKey(event)) return
    event.preventDefault()
    event.stopImmediatePropagation()
  },
  { capture: true },
)
useEventListener(document, 'focusin', (event: FocusEvent) => cursorFollows(event.target))
// a real pointer takes over; those made here are not trusted
useEventListener(window, 'pointerdown', (event: PointerEvent) => event.isTrusted && putAway(), { capture: true })
useEventListener(window, 'resize', putAway)
onBeforeUnmount(putAway)
</script>

<template>
  <svg
    v-if="cursor.on"
    class="cursor"
    :class="{ held: cursor.held }"
    :style="{ left: `${cursor.x}px`, top: `${cursor.y}px` }"
    width="41"
    height="41"
    viewBox="-20.5 -20.5 41 41"
    data-cursor
    aria-hidden="true"
  >
    <path class="halo" d="M-20 0H-5M5 0H20M0 -20V-5M0 5V20" />
    <path d="M-20 0H-5M5 0H20M0 -20V-5M0 5V20" />
    <rect x="-5" y="-5" width="10" height="10" />
  </svg>
  <span class="words" role="status">{{ cursorWords }}</span>
</template>

<style scoped>
.cursor {
  position: fixed;
  z-index: 5;
  transform: translate(-50%, -50%);
  pointer-events: none;
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
.cursor .halo {
  stroke: #fff;
  stroke-width: 4;
}
.cursor rect {
  stroke: none;
}
.cursor.held rect {
  stroke: var(--action);
  stroke-width: 2;
}
.words {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  white-space: nowrap;
}
</style>
