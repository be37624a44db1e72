<script setup lang="ts">
/** Beside the plate: the set with it, without it, or with it alone, from home or the worst frame of the move. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, got, type Schemas } from '../../api/client'
import { useKeys } from '../../hand/keys'
import { surfaceName } from '../../state/names'
import { useShot } from '../../state/shot'
import { shownOf } from '../../strip/pace'
import { framePicture } from '../move/framePicture'
import { worstFrame } from './worst'

const props = defineProps<{ plate: string; /** The side on which the plate is not. */ left: boolean }>()
const s = useShot()
const open = ref(false)
const from = ref<'home' | 'worst'>('worst')
const how = ref<'with' | 'without' | 'alone'>('with')
const HOW = { with: 'With it', without: 'Without it', alone: 'It alone' } as const
/** The one surface that it is shown on; all where there is none. */
const on = ref('')
const host = ref<HTMLElement>()
const { width } = useElementSize(host)
const report = ref<Schemas['CheckState']['report']>(null)
const busy = ref(false)
const checking = ref(false)
const throwOf = computed(() => s.shot.throws.find((t) => t.plate === props.plate))
const worst = computed(() => worstFrame(report.value?.frames, props.plate))
const home = computed(() => {
  const key = s.keys.find((k) => k.home) ?? s.keys[0]
  return key ? shownOf(s.shot.move, key.frame) : s.state!.first_frame
})
const frame = computed(() => (from.value === 'home' ? home.value : (worst.value?.frame ?? null)))
const src = computed(() => {
  if (!open.value || frame.value === null || !width.value) return null
  const alone = { only: props.plate, on: on.value }
  const more = { with: {}, without: { without: props.plate }, alone }[how.value]
  return framePicture(s, frame.value, width.value, more)
})
watch(src, (now) => (busy.value = !!now))
watch(
  () => props.plate,
  () => (on.value = ''),
)
async function read() {
  const params = { path: { shot_id: s.id } }
  const found = await got<Schemas['CheckState']>(api.GET('/api/shots/{shot_id}/check', { params })).catch(() => null)
  report.value = found?.report ?? null
}
/** The worst frame is that of the move as it stands, with the plate as it stands: checked anew when it is not. */
async function look() {
  await read()
  if (report.value || s.keys.length < 2) return
  checking.value = true
  await s.check()
  checking.value = false
  await read()
}
watch([open, () => s.state?.revision], () => open.value && void look())
useKeys('plates', { inSet: () => (open.value = !open.value) })
</script>

<template>
  <ElButton v-if="!open" class="opens" title="Key I" data-in-set @click="open = true">In the set</ElButton>
  <section
    v-else
    class="pane"
    :class="{ left }"
    aria-label="The plate in the set"
    data-in-set-pane
    @pointerdown.stop
    @wheel.stop
  >
    <header>
      <ElButton :class="{ on: from === 'worst' }" data-from="worst" @click="from = 'worst'">
        {{ worst ? `Worst: frame ${worst.frame}` : checking ? 'Checking…' : 'Worst frame' }}</ElButton><ElButton
        :class="{ on: from === 'home' }"
        data-from="home"
        @click="from = 'home'"
        >Home</ElButton
      >
      <ElButton class="plain close" @click="open = false">Close</ElButton>
    </header>
    <div ref="host" class="picture">
      <img v-if="src" :src="src" alt="" :data-set-look="busy ? 'busy' : 'there'" @load="busy = false" />
      <p v-else class="quiet">{{ checking ? 'Checking every frame…' : 'There is no move yet: look from home.' }}</p>
    </div>
    <p v-if="from === 'worst' && worst && !worst.own" class="quiet">
      This plate is at fault nowhere; the frame is the worst of all.
    </p>
    <footer v-if="throwOf">
      <ElButton v-for="(n, h) in HOW" :key="h" :class="{ on: how === h }" :data-how="h" @click="how = h">{{
        n
      }}</ElButton>
      <ElSelect
        v-if="how === 'alone' && throwOf.targets.length > 1"
        v-model="on"
        :empty-values="[null, undefined]"
        size="small"
        aria-label="Shown on"
        class="target"
      >
        <ElOption value="" label="on all its surfaces" />
        <ElOption v-for="t in throwOf.targets" :key="t" :value="t" :label="`on ${surfaceName(s.shot, t)}`" />
      </ElSelect>
    </footer>
    <p v-else class="quiet">It is thrown on nothing yet.</p>
  </section>
</template>

<style scoped>
.opens {
  position: absolute;
  right: 10px;
  bottom: 10px;
  background: var(--paper);
}
.pane {
  position: absolute;
  right: 10px;
  bottom: 10px;
  width: min(52%, 620px);
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 7px;
  display: grid;
  gap: 6px;
}
.pane.left {
  right: auto;
  left: 10px;
}
header,
footer {
  display: flex;
  align-items: center;
}
header button,
footer button {
  padding: 4px 8px;
  margin-right: -1px;
}
.close {
  margin-left: auto;
}
.on {
  background: var(--ink);
}
.picture {
  min-height: 60px;
  background: #77776f;
  display: grid;
}
.picture p {
  padding: 12px;
  background: var(--paper);
  margin: 0;
}
img {
  width: 100%;
  display: block;
}
.target {
  flex: 1;
  margin-left: 10px;
}
p {
  margin: 0;
}
</style>
