<script setup lang="ts">
/** What the move shows and no plate covers: looked for on demand, filled by one press, masks and a table out. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '../../api/client'
import { surfaceName } from '../../state/names'
import { useAsked } from './useAsked'

const { s, found, busy, look } = useAsked<Schemas['PaintList']>('/paint-list', (p) => p.regions !== null)
const router = useRouter()
const regions = computed(() => found.value?.regions ?? null)
async function fill(numbers: number[] | null) {
  busy.value = true
  const done = await s.change('POST', '/paint-list/fill', { numbers })
  busy.value = false
  if (done) await look()
}
function show(r: Schemas['Entry']) {
  s.frame = r.frames[1]
}
const save = () => window.location.assign(`/api/shots/${s.id}/paint-list/file`)
const plates = () => void router.push(`/shot/${s.id}/plates`)
</script>

<template>
  <section class="section" data-paint-list>
    <h2>Paint list</h2>
    <p v-if="!regions" class="quiet">
      {{ found ? 'The move has changed since it was looked at.' : 'Which surfaces frames show that no plate covers.' }}
    </p>
    <p v-else-if="!regions.length" class="quiet">Nothing that the move shows is bare.</p>
    <ol v-else class="regions">
      <li v-for="r in regions" :key="r.number" data-region>
        <div class="head">
          <span>{{ surfaceName(s.shot, r.surface) }}</span>
          <ElButton class="plain" @click="show(r)">Frame {{ r.frames[1] }}</ElButton>
          <ElButton v-if="r.plate" :disabled="busy" @click="fill([r.number])">Fill</ElButton>
          <span v-else class="quiet" title="No photo faces it: square the face up in Plates">squared up</span>
        </div>
        <p class="figure quiet">
          {{ r.largest_percent.toFixed(2) }} % of a frame at most, frames {{ r.frames[0] }} to {{ r.frames[1] }};
          {{ r.pixels.toLocaleString('en') }} px {{ r.plate ? 'of the plate' : 'of the face' }} to paint,
          {{ r.pixels_per_metre.toFixed(0) }} px/m
        </p>
      </li>
    </ol>
    <div class="row" style="margin-top: 6px">
      <ElButton :disabled="busy" data-look-bare @click="look">{{
        busy ? 'Looking at every frame …' : 'Look for what is bare'
      }}</ElButton>
      <template v-if="regions?.length">
        <ElButton :disabled="busy" class="main" data-fill-all @click="fill(null)">Fill all</ElButton>
        <ElButton @click="save">Save masks</ElButton>
        <ElButton class="plain" @click="plates">To Plates</ElButton>
      </template>
    </div>
  </section>
</template>

<style scoped>
.regions {
  list-style: none;
  margin: 0;
  padding: 0;
}
.regions li {
  border-bottom: 1px solid var(--rule);
  padding: 5px 0;
}
.head {
  display: flex;
  gap: 8px;
  align-items: center;
}
.head span:first-child {
  flex: 1;
}
.head button {
  padding: 2px 8px;
}
.regions p {
  white-space: normal;
  margin: 2px 0 0;
}
.row {
  flex-wrap: wrap;
}
</style>
