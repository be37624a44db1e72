<script setup lang="ts">
/** All shots: open one, begin one, bring a package. */
import { ElButton, ElInput, ElMessageBox } from 'element-plus'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { kindOf, useDrop } from './hand/drop'
import { asked, EVEN, layered, notesOf, told } from './stages/photo/beginning'
import { api, call, formOf, got, Problem, type Job, type Schemas, type ShotState } from './api/client'

const router = useRouter()
const shots = ref<Schemas['ListedShot'][]>([])
const name = ref('')
const problem = ref<string | null>(null)
const file = ref<HTMLInputElement>()

async function attempt(what: () => Promise<void>) {
  try {
    problem.value = null
    await what()
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problem.value = error.message
  }
}
onMounted(() => attempt(async () => void (shots.value = await got<Schemas['ListedShot'][]>(api.GET('/api/shots')))))

const begin = () =>
  attempt(async () => {
    const state = await got<ShotState>(api.POST('/api/shots', { body: { name: name.value.trim() || 'Untitled shot' } }))
    await router.push(`/shot/${state.id}/photo`)
  })
useDrop((files) => {
  const kinds = files.map((f) => kindOf(f.name))
  if (kinds[0] === 'package') void bring(files)
  else if (kinds.every((k) => k === 'picture' || k === 'layers')) void fromPictures(files)
  else {
    const other = files[kinds.findIndex((k) => k !== 'picture' && k !== 'layers')].name
    const meant = 'a mesh is dropped on a surveyed shot'
    problem.value = `“${other}” is neither a picture nor a shot package (.zip); ${meant}.`
  }
})
const pictures = ref<HTMLInputElement>()
/** A shot begun from pictures: layers are spread in depth, a photo is brought and looked at first. */
const fromPictures = (list: FileList | File[] | null) =>
  attempt(async () => {
    const files = [...(list ?? [])]
    if (!files.length) return
    const title = files[0].name.replace(/\.[^.]+$/, '').slice(0, 100)
    const state = await got<ShotState>(api.POST('/api/shots', { body: { name: title || 'Untitled shot' } }))
    try {
      if (layered(files)) {
        const job = await ended(
          await call<Job>('POST', `/shots/${state.id}/begin${asked(EVEN)}&stated=false`, formOf(files)),
        )
        told.value = { shot: state.id, notes: notesOf(job) }
      } else
        for (const file of files) {
          const { photos } = (await call<ShotState>('POST', `/shots/${state.id}/photos`, formOf([file]))).shot
          // the first one's edges are looked for while it is shown
          if (photos.length === 1) await call('POST', `/shots/${state.id}/photos/${photos[0].id}/survey/found`)
        }
    } catch (error) {
      await api.DELETE('/api/shots/{shot_id}', { params: { path: { shot_id: state.id } } })
      throw error
    }
    await router.push(`/shot/${state.id}/${layered(files) ? 'move' : 'photo'}`)
  })
/** The beginning that is under way. */
const under = ref<Job | null>(null)
const OFTEN = 400 // milliseconds between two looks at it
/** Wait for the end of a beginning; what it fails for is thrown. */
async function ended(job: Job) {
  under.value = job
  try {
    while (['waiting', 'running'].includes(under.value.state)) {
      await new Promise((done) => setTimeout(done, OFTEN))
      under.value = await got<Job>(api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } }))
    }
    if (under.value.state !== 'done') throw new Problem(under.value.error ?? 'Cancelled; nothing was begun.', 409)
    return under.value
  } finally {
    under.value = null
  }
}
const giveUp = () => api.DELETE('/api/jobs/{job_id}', { params: { path: { job_id: under.value!.id } } })
const bring = (list: FileList | File[] | null) =>
  attempt(async () => {
    if (!list?.length) return
    const state = await call<ShotState>('POST', '/packages', formOf([list[0]]))
    await router.push(`/shot/${state.id}/photo`)
  })
async function remove(shot: Schemas['ListedShot']) {
  const said = `Remove “${shot.name}” for good? This cannot be undone.`
  const sure = await ElMessageBox.confirm(said, 'Remove a shot', {
    confirmButtonText: 'Remove',
    cancelButtonText: 'Keep',
    showClose: false,
  }).catch(() => null)
  if (sure)
    await attempt(
      async () =>
        void (shots.value = await got<Schemas['ListedShot'][]>(
          api.DELETE('/api/shots/{shot_id}', { params: { path: { shot_id: shot.id } } }),
        )),
    )
}
</script>

<template>
  <main class="shelf">
    <header>
      <svg viewBox="0 0 32 20" width="48" aria-hidden="true">
        <path d="M2 14 L15 3 L30 9" fill="none" stroke="#B5432A" stroke-width="2.4" />
        <path d="M2 18 H30" stroke="#22303A" stroke-width="1.4" />
      </svg>
      <h1>Roof Line</h1>
      <p>From a photograph to a camera move of which you know, frame by frame, whether the picture holds.</p>
    </header>
    <p v-if="problem" class="sentence warn" role="alert">
      {{ problem }} <ElButton class="plain" @click="problem = null">Understood</ElButton>
    </p>
    <p v-if="under" class="sentence" role="status" data-under-way>
      Beginning: {{ under.doing || 'waiting' }}, {{ Math.round(100 * under.progress) }} %
      <ElButton class="plain" @click="giveUp">Cancel</ElButton>
    </p>
    <ul>
      <li v-for="shot in shots" :key="shot.id">
        <RouterLink :to="`/shot/${shot.id}/photo`" :data-shot="shot.id">
          <img
            v-if="shot.photo"
            :src="`/api/shots/${shot.id}/photos/${shot.photo}/picture?width=480`"
            :alt="`Photo of ${shot.name}`"
          />
          <span v-else class="blank">no photo yet</span>
          <strong>{{ shot.name }}</strong>
          <span class="figure quiet"
            >made {{ shot.made.slice(0, 10) }} · {{ shot.revision }} change{{ shot.revision === 1 ? '' : 's' }}</span
          >
        </RouterLink>
        <ElButton class="plain" :aria-label="`Remove ${shot.name}`" @click="remove(shot)">Remove</ElButton>
      </li>
      <li class="new">
        <form @submit.prevent="begin">
          <label for="shot-name">Begin a shot</label>
          <ElInput id="shot-name" v-model="name" placeholder="Its name" maxlength="120" />
          <ElButton class="main" native-type="submit">Begin</ElButton>
        </form>
        <div>
          <label>Begin from pictures</label>
          <ElButton @click="pictures?.click()">Choose pictures…</ElButton>
          <input
            ref="pictures"
            type="file"
            multiple
            data-begin-pictures
            accept=".jpg,.jpeg,.png,.tif,.tiff,.exr,.webp,.avif,.ora,.svg,.mp4,.webm"
            hidden
            @change="fromPictures(($event.target as HTMLInputElement).files)"
          />
        </div>
        <div>
          <label>Bring a shot package</label>
          <ElButton @click="file?.click()">Choose a ZIP…</ElButton>
          <input
            ref="file"
            type="file"
            accept=".zip"
            hidden
            @change="bring(($event.target as HTMLInputElement).files)"
          />
        </div>
      </li>
    </ul>
  </main>
</template>

<style scoped>
.shelf {
  height: 100%;
  overflow: auto;
  padding: 56px 72px;
}
header {
  display: grid;
  grid-template-columns: auto 1fr;
  column-gap: 16px;
  align-items: center;
  margin-bottom: 32px;
  border-bottom: 1px solid var(--ink);
  padding-bottom: 18px;
}
h1 {
  font: 600 34px/1 var(--label);
  letter-spacing: 0.01em;
}
header p {
  grid-column: 2;
  color: var(--ink-soft);
  font-size: 15px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, 340px);
  gap: 28px;
}
li {
  position: relative;
}
a {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: inherit;
  text-decoration: none;
  border-bottom: 1px solid var(--rule);
  padding-bottom: 10px;
}
a:hover strong {
  text-decoration: underline;
}
img,
.blank {
  width: 340px;
  height: 220px;
  object-fit: cover;
  margin-bottom: 6px;
  background: var(--paper-deep);
  display: grid;
  place-items: center;
  color: var(--ink-soft);
}
strong {
  font-size: 17px;
}
li > .plain {
  position: absolute;
  right: 0;
  bottom: 8px;
}
.new {
  border: 1px solid var(--rule);
  padding: 22px;
  display: grid;
  gap: 24px;
  align-content: center;
  min-height: 220px;
}
.new label {
  display: block;
  font: 600 12px/1 var(--label);
  letter-spacing: 0.09em;
  text-transform: uppercase;
  margin-bottom: 8px;
}
.new form .el-input {
  width: 190px;
  margin-right: 8px;
  height: 30px;
}
</style>
