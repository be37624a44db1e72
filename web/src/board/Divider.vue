<script setup lang="ts">
/** The bar between two views: dragged, or moved by the arrow keys; both views stay large enough to be used. */
import { begin } from '../hand/gesture'

const props = defineProps<{ beside: boolean }>()
const share = defineModel<number>({ required: true })
const LEAST = 0.15
const STEP = 0.03

const set = (to: number) => (share.value = Math.min(1 - LEAST, Math.max(LEAST, to)))
function drag(event: PointerEvent) {
  if (event.button !== 0) return
  const bar = event.currentTarget as HTMLElement
  const box = bar.parentElement!.getBoundingClientRect()
  const was = share.value
  const move = (e: PointerEvent) =>
    void set(props.beside ? (e.clientX - box.left) / box.width : (e.clientY - box.top) / box.height)
  begin(event, bar, { move, finish: () => undefined, giveUp: () => (share.value = was) })
}
function key(event: KeyboardEvent) {
  const way = props.beside ? ['ArrowLeft', 'ArrowRight'] : ['ArrowUp', 'ArrowDown']
  const at = way.indexOf(event.key)
  if (at < 0) return
  event.preventDefault()
  set(share.value + (at ? STEP : -STEP))
}
</script>

<template>
  <div
    class="divider"
    :class="{ beside }"
    role="separator"
    tabindex="0"
    aria-label="Between the views"
    :aria-orientation="beside ? 'vertical' : 'horizontal'"
    :aria-valuenow="Math.round(100 * share)"
    aria-valuemin="15"
    aria-valuemax="85"
    title="Drag to divide the views; double-click for the usual"
    data-divider
    @pointerdown="drag"
    @keydown="key"
    @dblclick="share = 2 / 3"
  />
</template>

<style scoped>
.divider {
  background: var(--paper);
  border: 1px solid var(--ink);
  border-width: 1px 0;
  cursor: ns-resize;
  touch-action: none;
  outline-offset: -2px;
}
.divider.beside {
  border-width: 0 1px;
  cursor: ew-resize;
}
</style>
