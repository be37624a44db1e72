<script setup lang="ts">
/** What can be built, and what the tool at hand wants to know. */
import { ElButton } from 'element-plus'
import type { Plate } from '../../api/client'
import { depthOfOpening, flatPlate, tool, TOOLS, type Tool } from './tools'

defineProps<{ foregrounds: Plate[] }>()
const emit = defineEmits<{ take: [Tool] }>()
</script>

<template>
  <div class="bars">
    <div class="tools" role="toolbar" aria-label="What to build">
      <ElButton
        v-for="t in TOOLS"
        :key="t.id"
        :class="{ on: tool === t.id, apart: t.id === 'fold' || t.id === 'ground' }"
        :data-tool="t.id"
        :title="`${t.name} (${t.key})${t.hint ? `: ${t.hint}` : ''}`"
        :aria-pressed="tool === t.id"
        @click="emit('take', t.id)"
      >
        {{ t.name }}
      </ElButton>
    </div>
    <div v-if="tool === 'recess' || (tool === 'flat' && foregrounds.length)" class="extra">
      <label v-if="tool === 'recess'"
        >Depth
        <input
          v-model.number="depthOfOpening"
          class="figure"
          type="number"
          min="0.01"
          max="100"
          step="0.05"
          aria-label="Depth of the opening"
        />
        m</label
      >
      <label v-else
        >Plate
        <select v-model="flatPlate" aria-label="Plate for the flat">
          <option v-for="p in foregrounds" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select></label
      >
    </div>
  </div>
</template>

<style scoped>
.bars {
  position: absolute;
  inset: 8px 8px auto;
  display: grid;
  justify-items: start;
  gap: 6px;
  pointer-events: none;
}
.bars > * {
  pointer-events: auto;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  row-gap: 3px;
}
.tools button {
  background: var(--paper);
  margin-right: -1px;
  padding: 6px 7px;
  font: 600 13px/1 var(--label);
  letter-spacing: 0.01em;
}
.tools button.apart {
  margin-left: 7px;
}
.tools button.on {
  background: var(--ink);
}
.extra {
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 4px 8px;
}
.extra input {
  width: 62px;
}
</style>
