<script setup lang="ts">
/** What a way out does to every frame, before over after; and its worst frame, both ways, when it is looked at. */
import { ElButton } from 'element-plus'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, got, type Schemas } from '../../api/client'
import { useShot } from '../../state/shot'
import FramePicture from '../../board/FramePicture.vue'
import { framePicture } from './framePicture'

type Strip = Schemas['WayStrip']
const props = defineProps<{ kind: Schemas['WayState']['kind'] }>()
const s = useShot()
const strip = shallowRef<Strip | null>(null)
const looking = ref(false)
const W = 250
const H = 13 // pixels of a row
watch(
  () => [props.kind, s.state?.revision],
  async () => {
    const path = { shot_id: s.id, kind: props.kind }
    strip.value = await got<Strip>(api.GET('/api/shots/{shot_id}/ways/{kind}/strip', { params: { path } })).catch(
      () => null,
    )
  },
  { immediate: true },
)
/** Runs of frames that hold, or do not. */
function runs(frames: Strip['before']) {
  const out: { from: number; count: number; holds: boolean }[] = []
  frames.forEach((f, i) => {
    const last = out.at(-1)
    if (last && last.holds === f.holds) last.count++
    else out.push({ from: i, count: 1, holds: f.holds })
  })
  return out
}
const rows = computed(() => {
  if (!strip.value) return []
  const { before, after } = strip.value
  return [
    { name: 'Now', frames: before },
    { name: 'Then', frames: after },
  ].map((r, i) => ({
    ...r,
    y: i * (H + 4),
    runs: runs(r.frames),
    failing: r.frames.filter((f) => !f.holds).length,
  }))
})
const k = computed(() => W / Math.max(1, strip.value?.before.length ?? 1))
const then = computed(
  () => `/api/shots/${s.id}/ways/${props.kind}/frames/${strip.value!.worst}?width=480&of=${s.state!.revision}`,
)
</script>

<template>
  <div v-if="strip" class="strip" data-way-strip>
    <svg :viewBox="`0 0 ${W} ${2 * H + 4}`" role="img" aria-label="Frames that hold, now and then">
      <g v-for="r in rows" :key="r.name" :data-row="r.name" :data-failing="r.failing">
        <rect
          v-for="x in r.runs"
          :key="x.from"
          :x="x.from * k"
          :y="r.y"
          :width="x.count * k"
          :height="H"
          :class="x.holds ? 'holds' : 'fails'"
        />
        <text :x="3" :y="r.y + H - 3">{{ r.name }}{{ r.failing ? `: ${r.failing} do not hold` : ': all hold' }}</text>
      </g>
    </svg>
    <div class="under">
      <ElButton class="plain" data-way-look @click="looking = !looking">
        {{ looking ? 'Put the frame away' : `Frame ${strip.worst}, now and then` }}
      </ElButton>
    </div>
    <div v-if="looking" class="pair">
      <figure>
        <FramePicture :src="framePicture(s, strip.worst, 320)" alt="" />
        <figcaption>Now</figcaption>
      </figure>
      <figure>
        <FramePicture :src="then" alt="" data-way-then />
        <figcaption>Then</figcaption>
      </figure>
    </div>
  </div>
</template>

<style scoped>
.strip {
  margin-top: 5px;
}
svg {
  display: block;
  width: 100%;
}
.holds {
  fill: #9cc2bb;
}
.fails {
  fill: #e3a897;
}
text {
  font: 500 10px var(--label);
  fill: var(--ink);
}
.under {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.under span {
  font-size: 11px;
}
.pair {
  display: grid;
  gap: 4px;
}
figure {
  margin: 0;
  position: relative;
}
figure :deep(img) {
  width: 100%;
  display: block;
  min-height: 60px;
  background: #77776f;
}
figcaption {
  position: absolute;
  left: 0;
  bottom: 0;
  background: var(--paper);
  padding: 1px 7px;
}
</style>
