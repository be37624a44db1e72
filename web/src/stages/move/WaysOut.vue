<script setup lang="ts">
/** Six ways out of a move that does not hold, each with what it costs; one press takes it. */
import { ElButton } from 'element-plus'
import type { Schemas } from '../../api/client'
import { pieceName } from '../../state/names'
import { useAsked } from './useAsked'
import { unbroken } from '../../ledger/figures'
import { costOf, TITLES } from './ways'
import WayStrip from './WayStrip.vue'

const { s, found, busy, look } = useAsked<Schemas['WaysState']>('/ways', (w) => w.ways !== null)
const take = (kind: string) => s.change('POST', `/ways/${kind}`)
const named = (id: string) => pieceName(s.shot, id)
</script>

<template>
  <section class="section" data-ways>
    <h2>Ways out</h2>
    <p v-if="found?.fraction === 1" class="quiet">The whole move holds.</p>
    <ol v-else-if="found?.ways" class="ways">
      <li v-for="w in found.ways" :key="w.kind" :class="{ holds: w.holds }" :data-way="w.kind">
        <div class="head">
          <b>{{ TITLES[w.kind] }}</b>
          <ElButton v-if="w.can_apply" :class="{ sure: w.holds }" @click="take(w.kind)">{{
            w.holds ? 'Take it' : 'Take it all the same'
          }}</ElButton>
        </div>
        <p v-if="costOf(w, named)">{{ unbroken(costOf(w, named)) }}</p>
        <p v-if="!w.holds" class="quiet">Does not hold. {{ unbroken(w.why) }}</p>
        <WayStrip v-if="w.can_apply" :kind="w.kind" />
      </li>
    </ol>
    <p v-else class="quiet">Part of it, a longer lens, another path, paint, a larger set, or other limits.</p>
    <ElButton :disabled="busy" data-look-ways @click="look">{{
      busy ? 'Working them out …' : 'Work out all six ways'
    }}</ElButton>
  </section>
</template>

<style scoped>
.ways {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.ways li {
  border-left: 3px solid var(--action);
  padding: 4px 0 4px 8px;
  margin-bottom: 6px;
}
.ways li.holds {
  border-color: #2f7d74;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.head button {
  padding: 2px 8px;
}
.ways p {
  margin: 2px 0 0;
}
</style>
