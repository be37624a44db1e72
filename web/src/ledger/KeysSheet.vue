<script setup lang="ts">
/** All keys, made from the one map; and what the pointer does besides. */
import { ElDialog } from 'element-plus'
import { KEYS, written, type Key } from '../hand/keys'
import { TOOLS } from '../stages/massing/tools'

const open = defineModel<boolean>({ required: true })
const list = (keys: Record<string, Key>) => Object.values(keys).map((k) => [written(k), k.says])
const groups: [string, string[][]][] = [
  [
    'Everywhere',
    [
      ...list(KEYS.everywhere),
      ['Wheel', 'enlarge about the pointer'],
      ['Space and drag, middle button', 'shift the picture'],
      ['Shift and click', 'choose one more'],
      ['Escape while dragging', 'put it back'],
      ['Arrows', 'the cursor moves; with Ctrl by a pixel of the picture, with Shift by a tenth'],
      ['Space on the cursor', 'press, and let go'],
      ['+ and − on the cursor', 'as the wheel'],
    ],
  ],
  [
    'Survey',
    [
      ...list(KEYS.survey),
      ['Alt while drawing', 'do not snap'],
      ['Double-click an edge', 'a further point on it'],
      ['Shift and drag', 'choose all edges in a box'],
    ],
  ],
  [
    'Massing',
    [
      ...TOOLS.map((t) => [t.key, t.name.toLowerCase()]),
      ...list(KEYS.massing),
      ['Alt Up, Alt Down on a piece', 'earlier, later in the list'],
    ],
  ],
  ['Plates', [...list(KEYS.plates), ['Double-click', 'close the outline']]],
  ['Move and Hand-off', [...list(KEYS.strip), ...list(KEYS.move), ['Wheel over the lens view', 'dolly']]],
]
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="min(1060px, 96vw)" top="4vh" :show-close="true" append-to-body>
    <div class="keys" data-keys>
      <section v-for="[place, rows] in groups" :key="place">
        <h3>{{ place }}</h3>
        <dl>
          <template v-for="[key, says] in rows" :key="key + says">
            <dt class="figure">{{ key }}</dt>
            <dd>{{ says }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </ElDialog>
</template>

<style scoped>
.keys {
  columns: 3;
  max-height: 82vh;
  overflow-y: auto;
  column-gap: 24px;
  font-size: 13px;
}
section {
  break-inside: avoid-column;
  margin-bottom: 12px;
}
h3 {
  font: 600 14px var(--label);
  margin: 0 0 4px;
}
dl {
  display: grid;
  grid-template-columns: 130px 1fr;
  gap: 2px 8px;
  margin: 0;
}
dt {
  font-size: 12px;
  white-space: normal;
}
dd {
  margin: 0;
}
</style>
