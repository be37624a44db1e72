<script setup lang="ts">
/** How the views look, and which are shown. */
import { ElButton, ElCheckbox } from 'element-plus'
import { looks, view as shown } from './tools'
</script>

<template>
  <div class="views-bar">
    <template v-if="shown === 'lens' || shown === 'both'">
      <label
        >Look
        <select v-model="looks.how" aria-label="What the lens view shows">
          <option value="wire">wire over photo</option>
          <option value="shaded">shaded</option>
          <option value="thrown">plates thrown</option>
          <option value="depth">depth</option>
          <option value="cover">cover</option>
        </select></label
      >
      <label v-if="looks.how === 'wire' || looks.how === 'cover'"
        >Photo
        <input
          v-model.number="looks.opacity"
          type="range"
          min="0"
          max="1"
          step="0.05"
          aria-label="Opacity of the photo"
      /></label>
      <ElCheckbox v-model="looks.grid">1 m grid</ElCheckbox>
    </template>
    <div class="switch" role="group" aria-label="Views">
      <ElButton
        v-for="[id, name] in [
          ['lens', 'Lens'],
          ['both', 'Lens and plan'],
          ['plan', 'Plan'],
          ['orbit', 'Orbit'],
        ] as const"
        :key="id"
        :class="{ on: shown === id }"
        :data-view="id"
        @click="shown = id"
      >
        {{ name }}
      </ElButton>
    </div>
  </div>
</template>

<style scoped>
.views-bar {
  background: var(--paper);
  border-top: 1px solid var(--ink);
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 0 0 10px;
  white-space: nowrap;
  flex-wrap: wrap;
  min-height: 34px;
}
.views-bar label {
  display: flex;
  gap: 5px;
  align-items: center;
}
.views-bar select {
  padding: 2px 3px;
}
.views-bar input[type='range'] {
  width: 66px;
  accent-color: var(--confirm);
}
.switch {
  margin-left: auto;
  display: flex;
  align-self: stretch;
}
.switch button {
  border-width: 0 0 0 1px;
  padding: 5px 10px;
}
</style>
