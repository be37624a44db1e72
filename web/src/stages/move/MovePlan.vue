<script setup lang="ts">
/** The set of a move from above, from the side along the heading, or all around, and where the frame would hold. */
import { ElButton, ElCheckbox } from 'element-plus'
import { computed, ref } from 'vue'
import type { FrameCamera, Photo, Shape, Vec2, Vec3 } from '../../api/client'
import FocusLines from '../../board/FocusLines.vue'
import OrbitBoard from '../../board/OrbitBoard.vue'
import PlanBoard from '../../board/PlanBoard.vue'
import { begin } from '../../hand/gesture'
import { elevation, headingOf } from './elevation'
import Handles from './Handles.vue'
import { useMove } from './move'
import { depthOf, useFocus } from './useFocus'
import StandingRoom from './StandingRoom.vue'
import StandingVolume from './StandingVolume.vue'

const FAR = 11 // metres
const VIEWS = [
  ['above', 'From above', 'In plan'],
  ['side', 'From the side', 'Along where the camera looks'],
  ['around', 'All around', 'The set from anywhere, and standing room at several heights'],
] as const
const props = defineProps<{
  shapes: Shape[]
  grounds: string[]
  photos: Photo[]
  path: FrameCamera[]
  keys: { frame: number; position: Vec3; home: boolean }[]
  now: FrameCamera | null
}>()
const emit = defineEmits<{
  /** A key, or the camera at this frame, is taken to a place; whether it is let go of there. */
  dragKey: [number, Vec3, boolean]
  dragNow: [Vec3, boolean]
  pickKey: [number]
  drop: []
}>()
const shown = ref(false)
const whole = ref(false)
const from = ref<'above' | 'side' | 'around'>('above')
const side = computed(() => from.value === 'side')
/** All around the set; or around the lens, where it is asked where that may stand. */
const about = computed(() => (props.now && shown.value ? { at: props.now.position, far: FAR } : undefined))
const says = ref('')
const { s, at } = useMove()
const { held, set: setFocus } = useFocus()
/** The line of focus taken along the view. */
function takeFocus(event: PointerEvent, metres: (screen: Vec2) => Vec2) {
  const camera = at.value
  if (!camera || event.button !== 0) return
  event.stopPropagation()
  const svg = (event.currentTarget as SVGElement).ownerSVGElement!
  const box = svg.getBoundingClientRect()
  const move = (e: PointerEvent) => {
    held.value = depthOf(camera, metres([e.clientX - box.left, e.clientY - box.top])) ?? held.value
  }
  const finish = (e: PointerEvent) => {
    move(e)
    const to = held.value
    if (to === null) return
    void setFocus(to, camera).then(() => {
      if (held.value === to) held.value = null
    })
  }
  begin(event, svg.parentElement!, { move, finish, giveUp: () => (held.value = null) })
}
const drawn = computed(() => {
  const { shapes, photos, path, keys, now } = props
  if (!side.value || !now) return { shapes, photos, path, keys, now, deliveredWidth: s.shot.delivery.width }
  const e = elevation(headingOf(now.rotation as number[][]))
  return {
    shapes: shapes.map(e.shape),
    photos: photos.map(e.photo),
    path: path.map(e.camera),
    keys: keys.map(e.key),
    now: e.camera(now),
    deliveredWidth: s.shot.delivery.height,
  }
})
/** Where a place of the view lies in the world: its height kept in plan, the way aside in elevation. */
function place(p: Vec2, from: readonly number[]): Vec3 {
  if (!side.value || !props.now) return [p[0], from[1], p[1]]
  return elevation(headingOf(props.now.rotation as number[][])).back(p, from)
}
function dragKey(frame: number, p: Vec2, done: boolean) {
  const key = props.keys.find((k) => k.frame === frame)
  emit('dragKey', frame, place(p, key?.position ?? [0, 0, 0]), done)
}
</script>

<template>
  <OrbitBoard
    v-if="from === 'around'"
    :state="s.state!"
    :shapes="shapes"
    :chosen="null"
    :also="[]"
    :about="about"
    :besides="path.map((c) => c.position)"
    thrown
  >
    <template #over="{ view }">
      <StandingVolume :view="view" :room="shown" :whole="whole" @says="(text: string) => (says = text)" />
    </template>
  </OrbitBoard>
  <PlanBoard
    v-else
    :key="String(side)"
    v-bind="drawn"
    :grounds="grounds"
    @drag-key="dragKey"
    @drag-now="(p: Vec2, done: boolean) => now && emit('dragNow', place(p, now.position), done)"
    @pick-key="(frame: number) => emit('pickKey', frame)"
    @drop="emit('drop')"
  >
    <template #under="{ flat, metres, width, height }">
      <StandingRoom
        v-if="shown"
        :flat="flat"
        :metres="metres"
        :width="width"
        :height="height"
        :whole="whole"
        :upright="side"
        @says="(text: string) => (says = text)"
      />
    </template>
    <template #over="{ flat, metres }">
      <FocusLines
        v-if="at?.focus && !side"
        :now="at"
        :held="held"
        :delivered-width="s.shot.delivery.width"
        :flat="flat"
        @take="(event: PointerEvent) => takeFocus(event, metres)"
      />
      <Handles v-if="!side" :flat="flat" :metres="metres" />
    </template>
  </PlanBoard>
  <div class="room" @pointerdown.stop>
    <span class="way" role="group" aria-label="From where the set is seen">
      <ElButton
        v-for="[id, name, title] in VIEWS"
        :key="id"
        :class="{ on: from === id }"
        :aria-pressed="from === id"
        :title="title"
        :[`data-${id}`]="''"
        @click="from = id"
        >{{ name }}</ElButton
      >
    </span>
    <ElCheckbox v-model="shown" data-standing>Standing room</ElCheckbox>
    <ElCheckbox v-if="shown && s.keys.length > 1" v-model="whole" data-standing-whole>of the whole move</ElCheckbox>
    <span v-if="shown" class="figure" role="status">{{ says }}</span>
  </div>
</template>

<style scoped>
.room {
  position: absolute;
  left: 62px;
  top: 8px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 0 9px 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  align-items: center;
  max-width: calc(100% - 76px);
  white-space: nowrap;
}
.way {
  display: flex;
}
.room .figure {
  padding-left: 9px;
}
.way button {
  border-width: 0 1px 0 0;
  padding: 5px 8px;
}
.way .on {
  background: var(--ink);
}
</style>
