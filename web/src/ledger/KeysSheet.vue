<script setup lang="ts">
import { ElDialog } from 'element-plus'
const open = defineModel<boolean>({ required: true })
const keys: [string, string][] = [
  ['Alt 1 … 6', 'go to a stage'],
  ['Ctrl Z · Ctrl Shift Z', 'undo · redo'],
  ['Wheel', 'enlarge about the pointer'],
  ['Space and drag, middle button', 'shift the picture'],
  ['0', 'fit the picture'],
  ['R · E · U', 'trace Run · Return · Rise'],
  ['S', 'trace a straight edge of no direction'],
  ['F', 'find edges'],
  ['Alt while drawing', 'do not snap to the picture’s edge'],
  ['Double-click an edge', 'a further point on it'],
  ['Shift and click · drag (Survey)', 'choose several edges'],
  ['X (Survey)', 'split the chosen edge at the pointer'],
  ['T · O · P', 'tape · datum · shared point'],
  ['M', 'measure on the grid’s plane'],
  ['H (Survey)', 'a horizon that is seen'],
  ['Delete', 'remove what is chosen'],
  ['Enter', 'close an outline'],
  ['Escape', 'give up a gesture'],
  ['Space', 'play or pause (Move, Hand-off)'],
  ['Left · Right', 'one frame back · on'],
  ['H (Move)', 'go to the home key’s frame'],
  ['V', 'verdicts over the lens view'],
]
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="440" :show-close="true" append-to-body>
    <table class="facts">
      <tbody><tr v-for="[key, what] in keys" :key="key"><td class="figure">{{ key }}</td><td>{{ what }}</td></tr></tbody>
    </table>
  </ElDialog>
</template>
