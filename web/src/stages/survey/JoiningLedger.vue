<script setup lang="ts">
/** Photos of one place: which is on the board, what they share, their common points, and one held against another. */
import { ElButton, ElInput } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useJoining, WRONG } from './joining'
import { useSurvey } from './survey'

const { s, ties, others, lenses, surfaces, chosenTie, compareWith, compareHow, lay, rename, remove, share } =
  useJoining()
const { tool } = useSurvey()
const photo = computed(() => s.photo!)
const comparable = computed(() => others.value.filter((p) => p.camera?.position))
watch(
  () => photo.value.id,
  () => {
    if (compareWith.value === photo.value.id) compareWith.value = null
  },
)
/** The chosen point's name, as it is being typed. */
const naming = ref('')
watch(
  () => ties.value.find((t) => t.id === chosenTie.value)?.name,
  (name) => (naming.value = name ?? ''),
  { immediate: true },
)
const worst = (off: Record<string, number>) => (Object.keys(off).length ? Math.max(...Object.values(off)) : null)
const told = (p: (typeof s.shot.photos)[number]) =>
  p.problem
    ? 'not joined'
    : p.camera
      ? p.camera.position
        ? `${p.result?.rms_px.toFixed(1)} px`
        : 'no scale'
      : 'no camera'
function setLens(value: string) {
  const lens = value === '+' ? `Lens of ${photo.value.name}`.slice(0, 120) : value || null
  void share(lens, photo.value.standpoint ?? null, steady.value)
}
/** Whether nothing moved between the photo and the one whose standpoint it shares. */
const steady = computed(() => typeof photo.value.steady_px === 'number')
const STEADY = 'steady:'
const takenFrom = computed(() => (steady.value ? STEADY : '') + (photo.value.standpoint ?? ''))
function setStandpoint(value: string) {
  const still = value.startsWith(STEADY)
  void share(photo.value.lens ?? null, (still ? value.slice(STEADY.length) : value) || null, still)
}
/** Take the tool for shared points, for a new one. */
function startPoint() {
  tool.value = 'point'
  chosenTie.value = null
}
</script>

<template>
  <section class="section" data-photos>
    <h2>Photos of this place</h2>
    <table class="facts">
      <tbody>
        <tr
          v-for="p in s.shot.photos"
          :key="p.id"
          class="pick"
          :class="{ chosen: p.id === photo.id }"
          :data-photo="p.id"
          tabindex="0"
          @click="s.photoId = p.id"
          @keydown.enter="s.photoId = p.id"
        >
          <td>{{ p.name }}</td>
          <td class="number" :class="{ wrong: !!p.problem }">{{ told(p) }}</td>
        </tr>
      </tbody>
    </table>
    <label class="line"
      >Lens
      <select
        :value="photo.lens ?? ''"
        aria-label="Lens that this photo shares"
        :disabled="steady"
        @change="setLens(($event.target as HTMLSelectElement).value)"
      >
        <option value="">its own</option>
        <option v-for="l in lenses" :key="l" :value="l">{{ l }}</option>
        <option v-if="!photo.lens" value="+">name this one, to share it</option>
      </select>
    </label>
    <label class="line"
      >Taken from
      <select
        :value="takenFrom"
        aria-label="Standpoint that this photo shares"
        @change="setStandpoint(($event.target as HTMLSelectElement).value)"
      >
        <option value="">a place of its own</option>
        <template v-for="p in others.filter((o) => !o.standpoint)" :key="p.id">
          <option :value="p.id">where {{ p.name }} was, turned</option>
          <option :value="STEADY + p.id">as {{ p.name }} was</option>
        </template>
      </select>
    </label>
    <p v-if="steady" class="quiet" data-steady>
      Nothing moved between the two, so that they have one camera: this picture lies
      <span class="figure">{{ photo.steady_px!.toFixed(1) }} px</span> beside the other.
    </p>
    <p v-else-if="!ties.length" class="quiet">
      Click two or more spots that several photos show, with one of them on the ground or on a surface: they stand in
      one world then.
    </p>
    <table v-else class="facts" data-ties>
      <thead>
        <tr>
          <th>Shared point</th>
          <th>lies on</th>
          <th class="number">off by</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="t in ties"
          :key="t.id"
          class="pick"
          :class="{ chosen: chosenTie === t.id }"
          tabindex="0"
          @click="chosenTie = t.id"
          @keydown.enter="chosenTie = t.id"
        >
          <td>
            <ElInput
              v-if="chosenTie === t.id"
              v-model="naming"
              aria-label="Name of the shared point"
              maxlength="60"
              @change="rename(t.id, naming || t.name)"
            /><template v-else>{{ t.name }}</template>
          </td>
          <td>
            <select
              :value="t.surface ?? ''"
              :aria-label="`What ${t.name} lies on`"
              @click.stop
              @change="lay(t.id, ($event.target as HTMLSelectElement).value || null)"
            >
              <option value="">anything</option>
              <option v-for="f in surfaces" :key="f.id" :value="f.id">{{ f.name }}</option>
            </select>
          </td>
          <td class="number">
            {{
              Object.keys(t.seen).length < 2
                ? 'in one photo'
                : worst(t.off_px) === null
                  ? '–'
                  : `${worst(t.off_px)!.toFixed(1)} px`
            }}
            <ElButton
              v-if="(worst(t.off_px) ?? 0) > WRONG"
              class="plain"
              :aria-label="`Leave out ${t.name}`"
              @click.stop="remove(t.id)"
              >leave out</ElButton
            >
          </td>
        </tr>
      </tbody>
    </table>
    <div class="row">
      <ElButton :class="{ on: tool === 'point' }" data-share @click="startPoint">New shared point</ElButton>
      <ElButton v-if="chosenTie" class="plain" @click="remove(chosenTie)">Remove it</ElButton>
    </div>
    <template v-if="comparable.length && photo.camera?.position">
      <label class="line"
        >Hold against
        <select v-model="compareWith" aria-label="Photo to compare with" data-compare>
          <option :value="null">nothing</option>
          <option v-for="p in comparable" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select>
      </label>
      <div v-if="compareWith" class="row" role="group" aria-label="How to compare">
        <ElButton
          v-for="h in ['wipe', 'blink', 'difference'] as const"
          :key="h"
          :class="{ on: compareHow === h }"
          :aria-pressed="compareHow === h"
          @click="compareHow = h"
        >
          {{ { wipe: 'Wipe', blink: 'Blink', difference: 'Difference' }[h] }}
        </ElButton>
      </div>
    </template>
  </section>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-items: center;
  padding: 3px 0;
}
td select {
  width: 128px;
}
td input {
  width: 84px;
}
.row {
  margin-top: 6px;
}
</style>
