<script setup lang="ts">
/** Trace edges on the photo; the camera follows while dragging. */
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Vec2, Vec3 } from '../../api/client'
import { bentLine } from '../../board/camera'
import PictureBoard from '../../board/PictureBoard.vue'
import type { PanZoom } from '../../board/usePanZoom'
import { useKeys } from '../../hand/keys'
import CompareSheet from './CompareSheet.vue'
import { useJoining } from './joining'
import Overview from './Overview.vue'
import SurveyBars from './SurveyBars.vue'
import SurveyAids from './SurveyAids.vue'
import SurveyMarks from './SurveyMarks.vue'
import { under } from './edges'
import { DIRECTIONS, familyOf, NAMES, useSurvey, type Tool } from './survey'
import TapeAsk from './TapeAsk.vue'
import TieMarks from './TieMarks.vue'
import { useTracing } from './tracing'
const {
  s,
  tool,
  chosen,
  selected,
  reassign,
  split,
  changeFound,
  foundProblem,
  kept,
  survey,
  result,
  problem,
  show,
  found,
  nextReading,
  dropped,
  finding,
  hint,
  measuring,
  measuredText,
  tapeAsked,
  mm,
  keep,
  copy,
  removeChosen,
  find,
  takeFound,
  onPurpose,
} = useSurvey()
const { ties, chosenTie, compareWith, compareHow, remove: removeTie } = useJoining()
const router = useRouter()
const board = ref<{ pan: PanZoom }>()
const comparing = computed(() =>
  compareWith.value && compareWith.value !== s.photo?.id && s.photo?.camera?.position
    ? (s.shot.photos.find((p) => p.id === compareWith.value && p.camera?.position) ?? null)
    : null,
)
const src = computed(() =>
  s.photo
    ? `/api/shots/${s.id}/photos/${s.photo.id}/picture?width=4096${comparing.value ? '&straight=true' : ''}`
    : null,
)

const scale = () => board.value!.pan.at.scale
const { ghost, box, hover, heldTie, down, move, up, drop, twice, rest } = useTracing(scale, () => !!comparing.value)

/** Take a tool; found edges under the pointer, and those that are chosen, get its direction. */
function take(wanted: Tool) {
  const family = familyOf(wanted)
  if (found.value && family !== undefined && hover.value) {
    const i = under(found.value.edges, hover.value, 8 / scale())
    if (i !== null) changeFound(() => Object.assign(found.value!.edges[i], { family, found: false }))
    return
  }
  if (wanted === 'point' && s.shot.photos.length < 2) return
  if (onPurpose.value && family !== undefined) reassign(family)
  tool.value = wanted
}
function removeWhatIsChosen() {
  if (tool.value === 'point') {
    if (chosenTie.value) void removeTie(chosenTie.value)
  } else if (tool.value === 'horizon' && kept.value?.horizon) {
    void keep({ ...copy(), horizon: null }, 'Remove the horizon')
  } else removeChosen()
}
const takes = (t: Tool) => () => take(t)
useKeys('survey', {
  run: takes('run'),
  return: takes('return'),
  rise: takes('rise'),
  second: takes('second'),
  straight: takes('straight'),
  tape: takes('tape'),
  datum: takes('datum'),
  point: takes('point'),
  measure: takes('measure'),
  horizon: takes('horizon'),
  find: () => {
    if (!found.value && !finding.value) void find()
  },
  split: () => {
    if (!found.value) split(hover.value)
  },
  remove: removeWhatIsChosen,
  giveUp: () => {
    drop()
    chosen.value = null
    found.value = null
    measuring.value = null
    chosenTie.value = null
  },
})

/** What grid, horizon and vanishing points are of: the reading that is looked at, else what is kept. */
const seen = computed(() => found.value?.result ?? result.value)
const camera = computed(() => seen.value?.camera ?? null)
const horizon = computed<[Vec2, Vec2] | null>(() => {
  const h = seen.value?.horizon
  if (!h || !s.photo) return null
  const w = s.photo.width!
  if (Math.abs(h[1]) < 1e-6) return null
  const y = (x: number) => -(h[0] * x + h[2]) / h[1]
  return [
    [-w, y(-w)],
    [2 * w, y(2 * w)],
  ]
})
const vanishing = computed(() => {
  const r = seen.value
  if (!r) return []
  return DIRECTIONS.flatMap((f) => {
    const [x, y, w] = r.vanishing_points[f] ?? [0, 0, 0]
    return Math.abs(w) < 1e-9 ? [] : [{ family: f, at: [x / w, y / w] as Vec2 }]
  })
})
const unsure = computed(
  () => (found.value?.result.sigma.focal_px ?? 0) > 0.04 * (found.value?.result.camera.focal_px ?? 1),
)
const counts = computed(() => {
  const kept = (found.value?.edges ?? []).filter((_, i) => !dropped.value.has(i))
  return DIRECTIONS.map((f) => [NAMES[f], kept.filter((e) => e.family === f).length] as const)
    .filter(([name, n]) => n || name !== NAMES.second)
    .map((both) => both.join(' '))
    .join(' · ')
})
</script>

<template>
  <div v-if="!s.photo" class="empty">
    <p>A photo comes first.</p>
    <ElButton class="main" @click="router.push(`/shot/${s.id}/photo`)">Go to Photo</ElButton>
  </div>
  <template v-else>
    <PictureBoard
      ref="board"
      :src="src"
      :width="s.photo.width!"
      :height="s.photo.height!"
      :loupe="!comparing && !found"
      :cursor="comparing || found ? 'default' : 'crosshair'"
      label="Trace edges on the photo"
      @down="down"
      @move="move"
      @up="up"
      @drop="drop"
      @rest="rest"
      @twice="twice"
    >
      <template #default="{ pan }">
        <clipPath id="in-photo"
          ><rect
            :x="pan.at.x"
            :y="pan.at.y"
            :width="s.photo.width! * pan.at.scale"
            :height="s.photo.height! * pan.at.scale"
        /></clipPath>
        <SurveyAids
          v-if="camera && !comparing"
          :camera="camera"
          :rise="seen!.vanishing_points.rise as Vec3"
          :hover="hover"
          :to-screen="pan.toScreen"
          clip-path="url(#in-photo)"
        />
        <path v-if="horizon" class="horizon" :d="bentLine(camera!, horizon, pan.toScreen)" data-horizon />
        <g v-if="found" data-found>
          <polyline
            v-for="(e, i) in found.edges"
            :key="`f${i}`"
            :class="['proposed', e.family ?? 'none', { out: dropped.has(i) }]"
            :points="e.points.map((p) => pan.toScreen(p as Vec2).join()).join(' ')"
          />
        </g>
        <SurveyMarks
          v-if="survey && !found && !comparing"
          :survey="survey"
          :photo="s.photo"
          :result="result"
          :selected="selected"
          :to-screen="pan.toScreen"
        />
        <TieMarks
          v-if="!found && !comparing"
          :ties="ties"
          :photo="s.photo.id"
          :chosen="chosenTie"
          :to-screen="pan.toScreen"
          :held="heldTie"
        />
        <g v-if="hint" class="hint" :transform="`translate(${pan.toScreen(hint).join()})`"
          ><circle r="22" /><path d="M-30 0h-14M30 0h14M0 -30v-14M0 30v14"
        /></g>
        <g v-if="show.points && !comparing">
          <g
            v-for="v in vanishing"
            :key="v.family"
            :class="['vp', v.family]"
            :transform="`translate(${pan.toScreen(v.at).join()})`"
            ><path d="M-7 -7L7 7M-7 7L7 -7" /><text x="10" y="4">{{ NAMES[v.family] }}</text></g
          >
        </g>
        <g v-if="measuring && !comparing" class="measure" data-measure>
          <line
            :x1="pan.toScreen(measuring.a)[0]"
            :y1="pan.toScreen(measuring.a)[1]"
            :x2="pan.toScreen(measuring.b)[0]"
            :y2="pan.toScreen(measuring.b)[1]"
          />
          <text :x="pan.toScreen(measuring.b)[0] + 12" :y="pan.toScreen(measuring.b)[1] + 18">{{ measuredText }}</text>
        </g>
        <rect
          v-if="box"
          class="ghost"
          fill="none"
          data-box
          :x="Math.min(pan.toScreen(box.a)[0], pan.toScreen(box.b)[0])"
          :y="Math.min(pan.toScreen(box.a)[1], pan.toScreen(box.b)[1])"
          :width="Math.abs(box.b[0] - box.a[0]) * pan.at.scale"
          :height="Math.abs(box.b[1] - box.a[1]) * pan.at.scale"
        />
        <line
          v-if="ghost"
          class="ghost"
          :x1="pan.toScreen(ghost.a)[0]"
          :y1="pan.toScreen(ghost.a)[1]"
          :x2="pan.toScreen(ghost.b)[0]"
          :y2="pan.toScreen(ghost.b)[1]"
        />
      </template>
      <template #front="{ pan }">
        <TapeAsk v-if="!comparing" v-model="tapeAsked" :to-screen="pan.toScreen" />
        <CompareSheet
          v-if="comparing"
          :src="`/api/shots/${s.id}/photos/${comparing.id}/compared/${s.photo.id}?width=1600&r=${s.state?.revision}`"
          :how="compareHow"
          :width="s.photo.width!"
          :height="s.photo.height!"
          :pan="pan"
        />
      </template>
    </PictureBoard>
    <Overview
      v-if="result && !comparing && !found && !finding"
      :result="result"
      :width="s.photo.width!"
      :height="s.photo.height!"
    />
    <SurveyBars :scaled="!!camera?.position" />
    <div v-if="found" class="first row" role="status" data-found-bar>
      <span
        >{{ found.edges.length - dropped.size }} edges found: {{ counts }}.
        <template v-if="foundProblem">{{ foundProblem }}</template><template v-else
          >They give f {{ mm(found.result.camera.focal_px).toFixed(2) }} ±
          {{ mm(found.result.sigma.focal_px ?? 0).toFixed(2) }} mm{{
            unsure ? ', which is not well known yet: take them and trace more' : ''
          }}.</template
        >
        Click one to drop it, point at one and press R, E, U or S to say its direction; Shift and drag drops
        several.</span
      >
      <ElButton class="sure" data-take @click="takeFound">Take them</ElButton
      ><ElButton v-if="found.others?.length" data-other-reading @click="nextReading"
        >Another reading: f {{ mm(found.others[0].result.camera.focal_px).toFixed(1) }} mm</ElButton
      ><ElButton @click="found = null">Leave them</ElButton>
    </div>
    <div v-else-if="finding" class="first" role="status">Looking for straight edges and their directions…</div>
    <div v-else-if="!survey?.edges.length && !survey?.assumption && s.photo?.steady_px == null" class="first row">
      <span
        >Let the edges be found, or drag along them: those along the front of the place (Run), into depth (Return),
        upright (Rise).</span
      >
      <ElButton class="main" data-find @click="find">Find edges</ElButton>
    </div>
    <p v-else-if="problem" class="first" role="status">{{ problem }}</p>
  </template>
</template>

<style scoped>
.first {
  position: absolute;
  left: 50%;
  bottom: 52px;
  z-index: 1;
  transform: translateX(-50%);
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 8px 14px;
  max-width: 76%;
}
.proposed {
  fill: none;
  stroke-width: 2.6;
  paint-order: stroke;
  filter: drop-shadow(0 0 1px #fff);
}
.proposed.run {
  stroke: var(--run);
}
.proposed.return {
  stroke: var(--return);
  stroke-dasharray: 13 6;
  stroke-linecap: round;
}
.proposed.rise {
  stroke: var(--rise);
  stroke-dasharray: 2.5 4;
}
.proposed.second {
  stroke: var(--second);
  stroke-dasharray: 13 4 2.5 4;
}
.proposed.out {
  stroke: #fff;
  opacity: 0.55;
  stroke-dasharray: 2 6;
}
.hint circle,
.hint path {
  fill: none;
  stroke: #fff;
  stroke-width: 2.4;
}
.hint circle {
  stroke: var(--action);
}
@media (max-width: 1100px) {
  .first {
    bottom: 92px; /* the bar of aids folds below it */
  }
}
.first.row {
  flex-wrap: nowrap;
  max-width: 92%;
  width: max-content;
}
.first.row button {
  white-space: nowrap;
}
.horizon {
  fill: none;
  stroke: #fff;
  stroke-width: 1.2;
  stroke-dasharray: 1 3;
}
.measure line {
  stroke: #fff;
  stroke-width: 2;
  paint-order: stroke;
  filter: drop-shadow(0 0 1px #000);
}
text {
  font: 500 13px var(--label);
  fill: #fff;
  paint-order: stroke;
  stroke: rgb(34 48 58 / 80%);
  stroke-width: 3px;
}
.vp path {
  stroke-width: 2.2;
}
.vp.run path {
  stroke: var(--run);
}
.vp.return path {
  stroke: var(--return);
}
.vp.rise path {
  stroke: var(--rise);
}
.vp.second path {
  stroke: var(--second);
}
.ghost {
  stroke: #fff;
  stroke-width: 1.4;
  stroke-dasharray: 4 3;
}
</style>
