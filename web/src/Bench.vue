<script setup lang="ts">
/** One shot: rail, board, ledger and strip around the stage at hand. */
import { ElButton } from 'element-plus'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { formOf, Problem } from './api/client'
import { isVideo, kindOf, useDrop } from './hand/drop'
import { plateOfFile } from './stages/plates/sources'
import { sendHeld } from './hand/held'
import { typing, useKeys } from './hand/keys'
import KeyCursor from './hand/KeyCursor.vue'
import KeysSheet from './ledger/KeysSheet.vue'
import Rail from './rail/Rail.vue'
import { STAGES, useShot, type Stage } from './state/shot'
import HandoffBoard from './stages/handoff/HandoffBoard.vue'
import HandoffLedger from './stages/handoff/HandoffLedger.vue'
import MassingBoard from './stages/massing/MassingBoard.vue'
import MassingLedger from './stages/massing/MassingLedger.vue'
import MoveBoard from './stages/move/MoveBoard.vue'
import MoveLedger from './stages/move/MoveLedger.vue'
import PhotoLedger from './stages/photo/PhotoLedger.vue'
import { EVEN, layered, useBeginning } from './stages/photo/beginning'
import PhotoStage from './stages/photo/PhotoStage.vue'
import PlatesPair from './stages/plates/PlatesPair.vue'
import PlatesLedger from './stages/plates/PlatesLedger.vue'
import SurveyBoard from './stages/survey/SurveyBoard.vue'
import SurveyLedger from './stages/survey/SurveyLedger.vue'
import Strip from './strip/Strip.vue'

const boards = {
  photo: PhotoStage,
  survey: SurveyBoard,
  massing: MassingBoard,
  plates: PlatesPair,
  move: MoveBoard,
  handoff: HandoffBoard,
}
const ledgers = {
  photo: PhotoLedger,
  survey: SurveyLedger,
  massing: MassingLedger,
  plates: PlatesLedger,
  move: MoveLedger,
  handoff: HandoffLedger,
}

const route = useRoute()
const router = useRouter()
const s = useShot()
const { begin } = useBeginning()
const lost = ref<string | null>(null)
const help = ref(false)
const stage = computed<Stage>(() =>
  STAGES.some((x) => x.id === route.params.stage) ? (route.params.stage as Stage) : 'photo',
)
const strip = computed(() => stage.value === 'move' || stage.value === 'handoff')

watch(
  () => route.params.id as string,
  async (id) => {
    if (!id) return
    lost.value = null
    try {
      await s.open(id)
      document.title = `${s.shot.name} · Roof Line`
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      lost.value = error.message
    }
  },
  { immediate: true },
)
watch(stage, () => (s.problem = null))
watch(
  () => s.removed,
  (gone) => {
    if (gone) lost.value = 'This shot has been removed in another window.'
  },
)
onBeforeUnmount(() => s.close())

useKeys('everywhere', {
  undo: () => void s.undo(),
  redo: () => void s.redo(),
  sheet: () => (help.value = !help.value),
  stage: (event) => go(STAGES[Number(event.key) - 1].id),
})
useDrop(async (files) => {
  if (!s.state) return
  if (!s.shot.photos.length && layered(files)) {
    const job = await begin(files, EVEN)
    if (job?.state === 'done') go('move')
    return
  }
  for (const file of files) {
    const kind = kindOf(file.name)
    const form = formOf([file])
    if (stage.value === 'plates' && isVideo(file.name) && (s.plate || s.photo)) {
      if (!(await plateOfFile(s, s.plate?.photo ?? s.photo!.id, file))) return
    } else if (kind === 'picture') {
      if (!(await s.change('POST', '/photos', form))) return
      s.photoId = s.shot.photos.at(-1)?.id ?? null
      go('photo')
    } else if (kind === 'mesh' && s.homePhoto) {
      if (!(await s.build('/meshes', form))) return
      go('massing')
    } else {
      s.problem =
        kind === 'mesh'
          ? 'A mesh is brought into a surveyed place: survey a photo first.'
          : kind === 'layers'
            ? 'Layers begin a shot of their own: drop them where all shots are listed.'
            : kind === 'package'
              ? 'A shot package is a shot of its own: drop it where all shots are listed.'
              : `“${file.name}” is neither a photo (JPEG, PNG, TIFF, OpenEXR, WebP, AVIF) nor a mesh (OBJ, glTF).`
      return
    }
  }
})
/** Go to a stage; what is typed is sent first. */
function go(to: Stage) {
  const at = document.activeElement
  if (at instanceof HTMLElement && typing(at)) at.blur()
  sendHeld()
  void router.push(`/shot/${s.id}/${to}`)
}
</script>

<template>
  <div v-if="lost" class="lost">
    <p class="sentence warn" role="alert">{{ lost }}</p>
    <RouterLink to="/">All shots</RouterLink>
  </div>
  <div v-else class="bench" :class="{ strip }">
    <Rail :stage="stage" @help="help = true" />
    <template v-if="s.state">
      <section class="board" aria-label="Board"><component :is="boards[stage]" :key="stage + s.id" /></section>
      <aside class="ledger" aria-label="Ledger">
        <p v-if="s.folder" class="sentence warn problem" role="alert" data-folder-gone>{{ s.folder }}</p>
        <div v-if="s.problem && s.problem !== s.folder" class="sentence warn problem" role="alert">
          {{ s.problem }}
          <ElButton class="plain" @click="s.problem = null">Understood</ElButton>
        </div>
        <div v-for="fault in s.state.faults" :key="fault.says" class="sentence warn" role="alert" data-fault>
          {{ fault.says }}
          <ElButton v-if="fault.solid" @click="s.change('DELETE', `/solids/${fault.solid}`)">Take it out</ElButton>
          <ElButton v-if="s.state.undo" @click="s.undo()">Undo: {{ s.state.undo }}</ElButton>
        </div>
        <component :is="ledgers[stage]" :key="stage + s.id" />
      </aside>
      <Strip v-if="strip" class="band" />
    </template>
    <div v-else class="board opening">Opening the shot…</div>
    <KeyCursor />
    <KeysSheet v-model="help" />
  </div>
</template>

<style scoped>
.bench {
  display: grid;
  height: 100%;
  grid-template: minmax(0, 1fr) / 176px minmax(0, 1fr) 304px;
}
.bench.strip {
  grid-template: minmax(0, 1fr) auto / 176px minmax(0, 1fr) 304px;
}
.bench.strip > :first-child {
  grid-row: 1 / 3;
}
.board {
  background: var(--surround);
  position: relative;
  overflow: hidden;
  min-width: 0;
  min-height: 0;
}
.opening {
  display: grid;
  place-items: center;
  color: #fff;
}
.ledger {
  border-left: 1px solid var(--ink);
  padding: 14px 14px 20px;
  overflow-y: auto;
  min-height: 0;
  /* a layer of its own: scrolled, the board is not drawn again */
  background: var(--paper);
  will-change: scroll-position;
}
.band {
  grid-column: 2 / 4;
  border-top: 1px solid var(--ink);
}
.lost {
  padding: 80px;
  max-width: 560px;
}
.problem {
  position: sticky;
  top: 0;
  z-index: 3;
  background: #f7e9e4;
}
</style>
