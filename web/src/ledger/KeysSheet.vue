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
  ['Alt while drawing', 'do not snap'],
  ['Double-click an edge', 'a further point on it'],
  ['Shift and click', 'choose one more edge or piece'],
  ['Shift and drag (Survey)', 'choose all edges in a box'],
  ['X (Survey)', 'split the chosen edge at the pointer'],
  ['T · O · P', 'tape · datum · shared point'],
  ['M', 'measure on the grid’s plane'],
  ['H (Survey)', 'a horizon that is seen'],
  ['C', 'choose (Massing)'],
  ['F · M · E', 'fold · room · street (Massing)'],
  ['G · B · R · W · L', 'ground · block · roof · wall · slab'],
  ['O · T · P · X', 'column · steps · panel · opening (Massing)'],
  ['A · D', 'flat · backdrop (Massing)'],
  ['Ctrl D', 'copy the chosen pieces, 1 m along Run'],
  ['Alt Up · Alt Down on a piece', 'earlier · later in the list'],
  ['Delete', 'remove what is chosen'],
  ['Enter, double-click', 'close an outline'],
  ['Escape', 'give up a gesture'],
  ['Space', 'play or pause (Move, Hand-off)'],
  ['Left · Right', 'one frame back · on'],
  ['H (Move)', 'go to the home key’s frame'],
  ['V', 'verdicts over the lens view'],
]
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="760" top="6vh" :show-close="true" append-to-body>
    <table class="facts keys">
      <tbody>
        <tr v-for="[key, what] in keys" :key="key">
          <td class="figure">{{ key }}</td>
          <td>{{ what }}</td>
        </tr>
      </tbody>
    </table>
  </ElDialog>
</template>

<style scoped>
.keys tbody {
  display: grid;
  grid-template-columns: 1fr 1fr;
  column-gap: 26px;
}
.keys tr {
  display: grid;
  grid-template-columns: 150px 1fr;
}
</style>
