<script setup lang="ts">
/** The photo with the delivered frame over it; bring one by drop or dialog; drag the frame. */
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { formOf, type Vec2 } from '../../api/client'
import PictureBoard from '../../board/PictureBoard.vue'
import { stays } from '../../hand/choice'
import { useShot } from '../../state/shot'
import { useRouter } from 'vue-router'
import { layered, useBeginning, type Spread } from './beginning'
import Beginnings from './Beginnings.vue'
import { useFraming } from './framing'

const s = useShot()
const { framing, box, set, drag } = useFraming()
const over = ref(false)
const file = ref<HTMLInputElement>()
const bringing = ref(false)
const photo = computed(() => s.photo)
const src = computed(() => (photo.value ? `/api/shots/${s.id}/photos/${photo.value.id}/picture?width=2560` : null))

const router = useRouter()
const ways = ref<{ how: Spread }>()
const { begin, findEdges } = useBeginning()
/** Begin from pictures as a whole, and go on where the move is. */
async function beginFrom(files: File[], how: Spread) {
  const here = stays(() => router.currentRoute.value.path)
  const job = await begin(files, how)
  if (job?.state === 'done' && here()) await router.push(`/shot/${s.id}/move`)
}
async function bring(files: FileList | null | undefined) {
  over.value = false
  if (!files?.length) return
  if (!photo.value && layered([...files])) return beginFrom([...files], ways.value!.how)
  bringing.value = true
  const first = !photo.value
  for (const one of files) {
    const mine = stays(() => s.photoId)
    if (!(await s.change('POST', '/photos', formOf([one])))) break
    const made = s.shot.photos[s.shot.photos.length - 1].id
    if (mine()) s.photoId = made
    if (first && s.shot.photos.length === 1) void findEdges(made)
  }
  bringing.value = false
  if (file.value) file.value.value = ''
}

interface OnBoard {
  width: { value: number }
  height: { value: number }
  at: { scale: number }
  toScreen: (p: Vec2) => Vec2
}
/** All of the board but the frame, as a path. */
function around(frame: { x: number; y: number; w: number; h: number }, pan: OnBoard) {
  const [w, h] = [frame.w * pan.at.scale, frame.h * pan.at.scale]
  const corner = pan.toScreen([frame.x, frame.y]).join(' ')
  return `M0 0H${pan.width.value}V${pan.height.value}H0ZM${corner}h${w}v${h}h${-w}Z`
}

let from: { p: Vec2; centre: Vec2 } | null = null
const isHome = computed(() =>
  s.homePhoto ? s.homePhoto.id === photo.value?.id : photo.value?.id === s.shot.photos[0]?.id,
)
function down(p: Vec2) {
  const b = box.value
  if (!b || !isHome.value || p[0] < b.x || p[1] < b.y || p[0] > b.x + b.w || p[1] > b.y + b.h) return
  from = { p, centre: [...framing.value!.centre] as Vec2 }
}
function move(p: Vec2) {
  if (from) drag.value = [from.centre[0] + p[0] - from.p[0], from.centre[1] + p[1] - from.p[1]]
}
function up() {
  if (from && drag.value) void set({ centre: drag.value })
  drop()
}
function drop() {
  from = null
  drag.value = null
}
defineExpose({ bring })
</script>

<template>
  <div
    class="stage"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="bring($event.dataTransfer?.files)"
  >
    <PictureBoard
      v-if="photo"
      :src="src"
      :width="photo.width!"
      :height="photo.height!"
      label="The photo with the delivered frame"
      :cursor="isHome ? 'move' : 'default'"
      @down="down"
      @move="move"
      @up="up"
      @drop="drop"
    >
      <template #default="{ pan }">
        <g v-if="box && isHome" class="frame" data-frame>
          <path :d="around(box, pan)" class="shade" fill-rule="evenodd" />
          <rect
            :x="pan.toScreen([box.x, box.y])[0]"
            :y="pan.toScreen([box.x, box.y])[1]"
            :width="box.w * pan.at.scale"
            :height="box.h * pan.at.scale"
            class="outline"
          />
          <text :x="pan.toScreen([box.x, box.y])[0] + 8" :y="pan.toScreen([box.x, box.y])[1] + 18"
            >delivered {{ s.shot.delivery.width }} × {{ s.shot.delivery.height }} px</text
          >
        </g>
      </template>
    </PictureBoard>
    <Beginnings v-else ref="ways" :busy="bringing" @photo="file?.click()" @begin="beginFrom" />
    <div v-if="over" class="drop">{{ photo ? 'Drop to bring the photo' : 'Drop to begin with it' }}</div>
    <ElButton v-if="photo" class="more" :disabled="bringing" @click="file?.click()">
      {{ bringing ? 'Reading the photo…' : 'Bring another photo…' }}
    </ElButton>
    <input
      ref="file"
      type="file"
      data-bring
      multiple
      accept=".jpg,.jpeg,.png,.tif,.tiff,.exr,.webp,.avif,.svg,.mp4,.webm"
      hidden
      @change="bring(($event.target as HTMLInputElement).files)"
    />
  </div>
</template>

<style scoped>
.stage {
  position: absolute;
  inset: 0;
}
.drop {
  position: absolute;
  inset: 14px;
  border: 2px dashed #fff;
  background: rgb(34 48 58 / 72%);
  color: #fff;
  display: grid;
  place-items: center;
  font-size: 18px;
  pointer-events: none;
}
.shade {
  fill: rgb(119 119 119 / 66%);
  pointer-events: none;
}
.outline {
  fill: none;
  stroke: #fff;
  stroke-width: 1.5;
}
text {
  fill: #fff;
  font: 500 13px var(--label);
  paint-order: stroke;
  stroke: rgb(34 48 58 / 70%);
  stroke-width: 3px;
}
.more {
  position: absolute;
  right: 12px;
  bottom: 12px;
  background: var(--paper);
}
</style>
