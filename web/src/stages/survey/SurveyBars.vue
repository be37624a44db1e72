<script setup lang="ts">
/** What can be traced, and the aids that are shown over the photo. */
import { ElButton, ElCheckbox } from 'element-plus'
import { computed } from 'vue'
import { KEYS, written } from '../../hand/keys'
import { DIRECTIONS, familyOf, HINTS, NAMES, useSurvey, type Tool } from './survey'

/** `scaled`: whether the world has metres yet. */
defineProps<{ scaled: boolean }>()
const { s, tool, show } = useSurvey()
const tools = computed<{ id: Tool; name: string; hint: string }[]>(() => [
  ...DIRECTIONS.map((f) => ({
    id: f as Tool,
    name: NAMES[f],
    hint: HINTS[f],
  })),
  {
    id: 'straight',
    name: 'Straight',
    hint: 'straight in the place, of no direction: tells how the lens bends',
  },
  { id: 'horizon', name: 'Horizon', hint: 'a horizon that is seen, as of the sea or a plain' },
  { id: 'tape', name: 'Tape', hint: 'a known length, from the ground' },
  { id: 'datum', name: 'Datum', hint: 'the origin, on the ground' },
  {
    id: 'measure',
    name: 'Measure',
    hint: 'a length on the plane of the grid that is shown, with its error; nothing is kept',
  },
  ...(s.shot.photos.length > 1
    ? [{ id: 'point' as Tool, name: 'Point', hint: 'one spot that several photos show: click it in each' }]
    : []),
])
</script>

<template>
  <div class="tools" role="toolbar" aria-label="What to trace">
    <ElButton
      v-for="t in tools"
      :key="t.id"
      :class="{ on: tool === t.id }"
      :data-tool="t.id"
      :title="`${t.name}: ${t.hint} (${written(KEYS.survey[t.id])})`"
      :aria-pressed="tool === t.id"
      @click="tool = t.id"
    >
      <svg v-if="familyOf(t.id)" width="26" height="8" :class="['mark', t.id]">
        <line x1="1" y1="4" x2="25" y2="4" /></svg
      >{{ t.name }}
    </ElButton>
  </div>
  <div class="aids">
    <ElCheckbox v-model="show.snap" title="Drawn edges are laid onto the picture's own; hold Alt to suspend it"
      >Snap</ElCheckbox
    >
    <label class="grids"
      >Grid
      <select v-model="show.grid" aria-label="Which grid is shown">
        <option value="none">none</option>
        <option value="ground">ground</option>
        <option value="front">front wall</option>
        <option value="side">side wall</option>
        <option value="ceiling">ceiling</option>
      </select>
      <template v-if="show.grid === 'ceiling'"
        >at
        <input
          v-model.number="show.ceiling"
          class="figure level"
          type="number"
          min="0.1"
          max="1000"
          step="0.1"
          aria-label="Ceiling’s height"
        />{{ scaled ? 'm' : 'camera heights' }},</template
      >
      <span class="figure">{{ scaled ? 'lines 1 m' : 'lines ½ camera height' }}</span>
    </label>
    <ElCheckbox v-model="show.plumb" title="Upright lines of the place: a wall’s corner should run along them"
      >Plumb lines</ElCheckbox
    >
    <ElCheckbox
      v-if="scaled"
      v-model="show.figure"
      title="A standing figure of 1.7 m on the ground under the pointer: a door should be a little taller"
      data-figure-shown
      >Figure</ElCheckbox
    >
  </div>
</template>

<style scoped>
.tools {
  position: absolute;
  left: 10px;
  right: 10px;
  top: 10px;
  display: flex;
  gap: 0;
  align-items: center;
  flex-wrap: wrap;
  row-gap: 3px;
  pointer-events: none;
}
.tools > * {
  pointer-events: auto;
}
.tools button {
  background: var(--paper);
  margin-right: -1px;
  display: flex;
  gap: 7px;
  align-items: center;
}
.tools button.on {
  background: var(--ink);
}
.tools button {
  white-space: nowrap;
}
.aids {
  position: absolute;
  right: 10px;
  bottom: 10px;
  display: flex;
  flex-wrap: wrap;
  justify-content: flex-end;
  row-gap: 3px;
}
.aids :is(label, .el-checkbox) {
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 4px 9px;
  margin-left: -1px;
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.mark line {
  stroke-width: 3;
}
.mark.run line {
  stroke: #57b5aa;
}
.mark.return line {
  stroke: #d69a33;
  stroke-dasharray: 9 4;
  stroke-linecap: round;
}
.mark.rise line {
  stroke: #9d86c9;
  stroke-dasharray: 2 4;
}
.mark.second line {
  stroke: #7fa6da;
  stroke-dasharray: 9 3 2 3;
}
.grids select {
  padding: 1px 2px;
}
.level {
  width: 58px;
  padding: 1px 3px;
}
</style>
