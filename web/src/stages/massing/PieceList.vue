<script setup lang="ts">
/** All pieces: search, order, what is shown, locked, grouped. */
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import type { Solid } from '../../api/client'
import { useShot } from '../../state/shot'
import { useChosen } from './tools'

const s = useShot()
const { chosen, choose } = useChosen()
const search = ref('')
const words = (x: Solid) => [x.name, x.kind, x.group ?? '', ...(x.tags ?? [])].join(' ').toLowerCase()
const rows = computed(() => {
  const wanted = search.value.trim().toLowerCase().split(/\s+/).filter(Boolean)
  return s.shot.solids.filter((x) => wanted.every((w) => words(x).includes(w)))
})
const mark = (x: Solid, what: object) => s.build('/arrange', { op: 'mark', ids: [x.id], ...what })
function stepped(by: number) {
  const ids = s.shot.solids.map((x) => x.id)
  const i = ids.indexOf(s.solidId!)
  const j = i + by
  if (i < 0 || j < 0 || j >= ids.length) return
  ids.splice(j, 0, ...ids.splice(i, 1))
  void s.build('/arrange', { op: 'order', ids })
}
function keys(event: KeyboardEvent, x: Solid) {
  if (event.key === 'Enter') choose(x.id, event.shiftKey)
  else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault()
    if (event.altKey) return stepped(event.key === 'ArrowDown' ? 1 : -1)
    const to =
      event.key === 'ArrowDown'
        ? (event.currentTarget as HTMLElement).nextElementSibling
        : (event.currentTarget as HTMLElement).previousElementSibling
    ;(to as HTMLElement | null)?.focus()
  }
}
const shownAll = computed(() => s.shot.solids.every((x) => !x.hidden))
</script>

<template>
  <section class="section">
    <h2>Pieces</h2>
    <p v-if="!s.shot.solids.length" class="quiet">Nothing is built yet.</p>
    <template v-else>
      <div class="head">
        <input
          v-if="s.shot.solids.length > 8"
          v-model="search"
          type="text"
          placeholder="Search names, kinds, tags"
          aria-label="Search pieces"
          data-search
        />
        <ElButton
          v-if="!shownAll"
          class="plain"
          @click="s.build('/arrange', { op: 'mark', ids: s.shot.solids.map((x) => x.id), hidden: false })"
        >
          Show all
        </ElButton>
      </div>
      <div class="list">
        <table class="facts" data-solids>
          <tbody>
            <tr
              v-for="x in rows"
              :key="x.id"
              v-memo="[x, chosen.includes(x.id)]"
              class="pick"
              :class="{ chosen: chosen.includes(x.id), hidden: x.hidden }"
              :data-piece="x.id"
              tabindex="0"
              @click="choose(x.id, $event.shiftKey)"
              @keydown="keys($event, x)"
            >
              <td class="what">
                <span class="piece">{{ x.name }}</span><span v-if="x.group" class="quiet group">{{ x.group }}</span>
              </td>
              <td class="quiet kind">{{ x.kind === 'gable' ? 'roof' : x.kind }}</td>
              <td class="marks">
                <ElButton
                  class="tiny"
                  :aria-pressed="!x.hidden"
                  :title="
                    x.hidden
                      ? x.in_set
                        ? 'In the set, not drawn here. Show it'
                        : 'Hidden: not in the set. Show it'
                      : 'Hide it: it leaves the set'
                  "
                  :aria-label="`${x.hidden ? 'Show' : 'Hide'} ${x.name}`"
                  @click.stop="mark(x, { hidden: !x.hidden, in_set: x.hidden })"
                >
                  <svg width="14" height="10" viewBox="0 0 14 10">
                    <path d="M1 5Q7 -2.4 13 5Q7 12.4 1 5Z" />
                    <circle v-if="!x.hidden" cx="7" cy="5" r="1.8" />
                    <path v-else d="M2 9L12 1" />
                  </svg>
                </ElButton>
                <ElButton
                  class="tiny"
                  :aria-pressed="x.locked"
                  :title="x.locked ? 'Locked. Unlock it' : 'Lock'"
                  :aria-label="`${x.locked ? 'Unlock' : 'Lock'} ${x.name}`"
                  @click.stop="mark(x, { locked: !x.locked })"
                >
                  <svg width="10" height="12" viewBox="0 0 10 12">
                    <rect x="1" y="5" width="8" height="6" :class="{ full: x.locked }" />
                    <path :d="x.locked ? 'M2.5 5V3.2a2.5 2.2 0 0 1 5 0V5' : 'M2.5 5V2.6a2.5 2.2 0 0 1 4.6 -1'" />
                  </svg>
                </ElButton>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="!rows.length" class="quiet">No piece is called that.</p>
      </div>
      <div v-if="s.solid" class="row">
        <ElButton class="plain" title="Earlier in the list (Alt and Up on a row)" @click="stepped(-1)">Up</ElButton
        ><ElButton class="plain" title="Later in the list (Alt and Down on a row)" @click="stepped(1)">Down</ElButton>
      </div>
    </template>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  gap: 6px;
  margin-bottom: 5px;
}
.head input {
  flex: 1;
}
.list {
  max-height: max(214px, 30vh);
  overflow-y: auto;
  border-bottom: 1px solid var(--rule);
  /* a layer of its own: the board's lines are not drawn again with every scrolled pixel */
  background: var(--paper);
  contain: content;
  will-change: scroll-position;
}
.kind {
  text-align: right;
}
.what {
  max-width: 150px;
}
.piece {
  overflow-wrap: anywhere;
}
.group {
  display: block;
  font-size: 12px;
  line-height: 1.1;
}
.marks {
  white-space: nowrap;
  width: 44px;
  text-align: right;
}
tr.hidden .piece {
  color: var(--ink-soft);
  text-decoration: line-through;
  text-decoration-color: var(--rule);
}
.tiny {
  border: 0;
  padding: 2px 3px;
  line-height: 0;
}
.tiny svg {
  fill: none;
  stroke: var(--ink-soft);
  stroke-width: 1.2;
}
.tiny svg .full,
.tiny svg circle {
  fill: var(--ink-soft);
}
</style>
