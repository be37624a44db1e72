<script setup lang="ts">
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import type { Throw } from '../../api/client'
import NumberField from '../../ledger/NumberField.vue'
import TextField from '../../ledger/TextField.vue'
import { useShot } from '../../state/shot'
import { changeThrow, drawing, feather, grow, remove, rename, setOutline } from './outline'

const s = useShot()
const PIGMENTS = ['#2f7d74', '#b87a12', '#6b4fa0', '#b5432a', '#2b5c8a', '#7a6a2c', '#8a3f66', '#44535c']
const ROLES = { photo: 'the photo', foreground: 'foreground', clean: 'clean plate' }
const tag = (id: string) => s.shot.plates.findIndex((p) => p.id === id)
const name = (id: string) => s.shot.plates.find((p) => p.id === id)?.name ?? id
const clean = computed(() => s.shot.plates.find((p) => p.clean_of && p.clean_of === s.plateId) ?? null)
/** The plate whose throw is open. */
const open = ref<string | null>(null)
const throws = computed(() => s.shot.throws)
const targets = computed(() => s.shot.solids.map((x) => ({ id: x.id, name: x.name })))

const shift = (t: Throw, by: number) =>
  changeThrow(s, t.plate, { place: throws.value.findIndex((x) => x.plate === t.plate) + by })
/** What the list says now, as what has been added and taken away. */
const setTargets = (t: Throw, now: string[]) =>
  changeThrow(s, t.plate, {
    add: now.filter((x) => !t.targets.includes(x)),
    drop: t.targets.filter((x) => !now.includes(x)),
  })
const named = (text: string) => {
  if (text.trim() && text.trim() !== s.plate!.name) void rename(s, s.plate!.id, text.trim())
}
const setFeather = (v: number) => setOutline(s, s.plate!.id, { points: s.plate!.outline!.points, feather_px: v })
/** Begin an outline, of no plate as yet. */
function startDrawing() {
  drawing.value = []
  s.plateId = null
}
</script>

<template>
  <div>
    <section class="section">
      <h2>Plates</h2>
      <table class="facts" data-plates>
        <tbody>
          <tr
            v-for="p in s.shot.plates"
            :key="p.id"
            class="pick"
            :class="{ chosen: p.id === s.plateId }"
            tabindex="0"
            @click="s.plateId = p.id"
            @keydown.enter="s.plateId = p.id"
          >
            <td>
              <i class="tag" :style="{ background: PIGMENTS[tag(p.id) % 8] }">{{ tag(p.id) + 1 }}</i> {{ p.name }}
            </td>
            <td class="quiet kind">{{ ROLES[p.role] }}</td>
          </tr>
        </tbody>
      </table>
      <div class="row" style="margin-top: 8px">
        <ElButton
          v-if="!drawing"
          :class="{ main: s.shot.plates.length < 2 }"
          :disabled="!s.photo"
          @click="startDrawing"
        >
          Outline a foreground piece
        </ElButton>
        <ElButton v-else @click="drawing = null">Give up the outline</ElButton>
      </div>
      <NumberField
        v-if="drawing"
        label="Feather"
        :model-value="feather"
        unit="px"
        :digits="1"
        :min="0"
        :max="200"
        @change="feather = $event!"
      />
    </section>

    <section v-if="s.plate" class="section">
      <h2>{{ ROLES[s.plate.role] }}</h2>
      <TextField label="Name" :model-value="s.plate.name" @change="named" />
      <p class="figure quiet">
        {{ s.plate.canvas[2] }} × {{ s.plate.canvas[3] }} px at {{ s.plate.canvas[0] }}, {{ s.plate.canvas[1] }}
      </p>
      <NumberField
        v-if="s.plate.outline"
        label="Feather"
        :model-value="s.plate.outline.feather_px"
        unit="px"
        :digits="1"
        :min="0"
        :max="200"
        @change="setFeather($event!)"
      />
      <template v-if="s.plate.role === 'foreground'">
        <NumberField
          id="grow"
          label="Matte grown by"
          :model-value="clean?.grow_px ?? grow"
          unit="px"
          :digits="1"
          :min="0"
          :max="500"
          @change="
            (v) => {
              grow = v!
              if (clean) void s.work(`/plates/${s.plate!.id}/clean`, { grow_px: v })
            }
          "
        />
        <ElButton
          class="sure"
          data-clean
          @click="s.work(`/plates/${s.plate!.id}/clean`, { grow_px: clean?.grow_px ?? grow })"
        >
          {{ clean ? 'Make the clean plate again' : 'Make the clean plate behind it' }}
        </ElButton>
      </template>
      <ElButton v-if="s.plate.role !== 'photo'" class="plain" @click="remove(s, s.plate!.id)"
        >Remove this plate</ElButton
      >
    </section>

    <section class="section">
      <h2>Throws, tried in this order</h2>
      <p v-if="!throws.length" class="quiet">Nothing is thrown yet.</p>
      <ol class="throws">
        <li v-for="(t, i) in throws" :key="t.plate" :class="{ open: open === t.plate }" :data-throw="t.plate">
          <ElButton class="head" @click="open = open === t.plate ? null : t.plate">
            <i class="tag" :style="{ background: PIGMENTS[tag(t.plate) % 8] }">{{ tag(t.plate) + 1 }}</i>
            <span>{{ name(t.plate) }}</span>
            <span class="figure quiet">{{ t.targets.length }} solid{{ t.targets.length === 1 ? '' : 's' }}</span>
          </ElButton>
          <div v-if="open === t.plate" class="body">
            <ElSelect
              :model-value="t.targets"
              multiple
              filterable
              collapse-tags
              collapse-tags-tooltip
              placeholder="Thrown on nothing"
              aria-label="Thrown on"
              size="small"
              style="width: 100%"
              @change="(v: string[]) => setTargets(t, v)"
            >
              <ElOption v-for="x in targets" :key="x.id" :value="x.id" :label="x.name" />
            </ElSelect>
            <ElCheckbox
              :model-value="t.occlusion"
              @change="(on) => changeThrow(s, t.plate, { occlusion: on as boolean })"
              >Only where its camera could see</ElCheckbox
            >
            <div class="row">
              <ElButton :disabled="i === 0" @click="shift(t, -1)">Earlier</ElButton
              ><ElButton :disabled="i === throws.length - 1" @click="shift(t, 1)">Later</ElButton>
            </div>
          </div>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
.kind {
  text-align: right;
  white-space: nowrap;
}
.tag {
  display: inline-grid;
  place-items: center;
  width: 18px;
  height: 18px;
  color: #fff;
  font: 500 12px/1 var(--figure);
  font-style: normal;
  margin-right: 4px;
  flex: none;
}
.throws {
  list-style: none;
  margin: 0;
  padding: 0;
}
.throws li {
  border-bottom: 1px solid var(--rule);
}
.throws li.open {
  background: #dcd8cc;
}
.head {
  display: flex;
  gap: 4px;
  align-items: center;
  width: 100%;
  border: 0;
  padding: 6px 2px;
  text-align: left;
  font-weight: 400;
}
.head span:nth-child(2) {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  line-height: 1.3;
}
.body {
  padding: 4px 6px 10px;
  display: grid;
  gap: 8px;
}
button.sure {
  margin: 6px 0;
}
</style>
