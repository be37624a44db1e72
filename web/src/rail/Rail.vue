<script setup lang="ts">
/** The shot as a job ticket: stages with their one telling figure, undo, and long work. */
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { STAGES, useShot, type Stage } from '../state/shot'

defineProps<{ stage: Stage }>()
defineEmits<{ help: [] }>()
const s = useShot()
const renaming = ref(false)
const name = ref('')
const telling = (id: Stage) => s.state?.rail.find((t) => t.stage === id)
const running = computed(() => Object.values(s.jobs).filter((j) => j.state === 'running' || j.state === 'waiting'))
const left = (seconds: number | null) =>
  seconds === null
    ? ''
    : seconds < 1.5
      ? 'a second left'
      : seconds < 90
        ? `${Math.ceil(seconds)} s left`
        : `${Math.ceil(seconds / 60)} min left`

function startRenaming() {
  name.value = s.shot.name
  renaming.value = true
}
async function rename() {
  if (!renaming.value) return // Enter has done it; what is taken away loses the focus as well
  renaming.value = false
  if (name.value.trim() && name.value.trim() !== s.shot.name)
    await s.change('PUT', '/name', { name: name.value.trim() })
}
</script>

<template>
  <nav class="rail" aria-label="Stages">
    <RouterLink to="/" class="all">All shots</RouterLink>
    <template v-if="s.state">
      <ElInput
        v-if="renaming"
        v-model="name"
        class="name"
        aria-label="Name of the shot"
        autofocus
        maxlength="120"
        @keydown.enter="rename"
        @blur="rename"
        @keydown.esc="renaming = false"
      />
      <ElButton v-else class="title" title="Rename" @click="startRenaming">{{ s.shot.name }}</ElButton>
      <div class="figure quiet delivered">
        {{ s.shot.delivery.width }} × {{ s.shot.delivery.height }} · {{ s.shot.delivery.frames }} f<br />{{
          s.shot.delivery.fps
        }}
        fps · {{ (s.shot.delivery.frames / s.shot.delivery.fps).toFixed(2) }} s
      </div>
      <ol>
        <li v-for="(item, i) in STAGES" :key="item.id" :class="{ here: item.id === stage }">
          <RouterLink
            :to="`/shot/${s.id}/${item.id}`"
            :data-stage="item.id"
            :aria-current="item.id === stage ? 'step' : undefined"
          >
            <span class="index">{{ i + 1 }}</span>
            <span class="word">{{ item.name }}</span>
            <span class="figure tells">{{ telling(item.id)?.figure }}</span>
            <span v-if="telling(item.id)?.problem" class="tells wrong">{{ telling(item.id)?.problem }}</span>
          </RouterLink>
        </li>
      </ol>
      <div class="jobs" aria-live="polite">
        <div v-if="s.warming" class="job" data-warming>
          <strong>Getting the engine ready</strong>
          <div class="bar"><div :style="{ width: `${(100 * s.warming.step) / s.warming.steps}%` }" /></div>
          <div class="quiet small">{{ s.warming.doing }}<br />once, about a minute; go on meanwhile</div>
        </div>
        <div v-for="job in running" :key="job.id" class="job">
          <div class="row between">
            <strong>{{ job.label }}</strong><ElButton class="plain" @click="s.cancel(job.id)">Cancel</ElButton>
          </div>
          <div class="bar"><div :style="{ width: `${100 * job.progress}%` }" /></div>
          <div class="quiet small">{{ job.doing || 'waiting' }}<br />{{ left(job.seconds_left) }}</div>
        </div>
      </div>
      <div class="foot">
        <ElButton
          :disabled="!s.state.undo"
          :title="s.state.undo ? `Undo: ${s.state.undo}` : 'Nothing to undo'"
          @click="s.undo()"
        >
          Undo
        </ElButton>
        <ElButton
          :disabled="!s.state.redo"
          :title="s.state.redo ? `Redo: ${s.state.redo}` : 'Nothing to redo'"
          @click="s.redo()"
        >
          Redo
        </ElButton>
        <ElButton title="Keys" aria-label="Show the keys" @click="$emit('help')">?</ElButton>
      </div>
    </template>
  </nav>
</template>

<style scoped>
.rail {
  border-right: 1px solid var(--ink);
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow-y: auto;
}
.all {
  padding: 10px 14px 0;
  color: var(--ink-soft);
  font-size: 12px;
  text-underline-offset: 3px;
}
.title {
  text-align: left;
  font: 600 18px/1.15 var(--label);
  border: 0;
  padding: 8px 14px 4px;
  background: none;
}
.name {
  margin: 6px 10px;
}
.name :deep(input) {
  font: 600 16px var(--label);
}
.delivered {
  padding: 0 14px 12px;
  border-bottom: 1px solid var(--ink);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li a {
  display: grid;
  grid-template-columns: 22px 1fr;
  padding: 9px 10px 9px 14px;
  color: inherit;
  text-decoration: none;
  border-bottom: 1px solid var(--rule);
  row-gap: 2px;
}
li a:hover {
  background: var(--paper-deep);
}
li.here a {
  background: var(--ink);
  color: var(--paper);
}
.index {
  font: 500 12px/1.5 var(--figure);
  color: var(--ink-soft);
}
.here .index {
  color: #b9c0c4;
}
.word {
  font: 600 15px/1.2 var(--label);
  letter-spacing: 0.02em;
}
.tells {
  grid-column: 2;
  font-size: 12px;
  white-space: normal;
  line-height: 1.25;
  letter-spacing: -0.02em;
}
.here .wrong {
  color: #f0b09f;
}
.jobs {
  flex: 1;
  padding: 10px 14px;
}
.job {
  border: 1px solid var(--ink);
  padding: 7px;
  margin-bottom: 8px;
}
.between {
  justify-content: space-between;
}
.bar {
  height: 6px;
  border: 1px solid var(--ink);
  margin: 4px 0;
}
.bar div {
  height: 100%;
  background: var(--confirm);
}
.small {
  font-size: 12px;
  line-height: 1.3;
}
.foot {
  display: grid;
  grid-template-columns: 1fr 1fr 30px;
  gap: 6px;
  padding: 10px 14px 14px;
}
.foot button {
  padding: 7px 4px;
}
</style>
