/** Beginning a shot from whatever pictures there are, and a first move by one press. */
import { computed, ref } from 'vue'
import { formOf, type Job } from '../../api/client'
import { useShot } from '../../state/shot'

/** How layers are spread in depth: by even parallax, ratio or steps, between two distances in metres. */
export interface Spread {
  near: number
  far: number
  spread: 'parallax' | 'ratio' | 'steps'
}
export const EVENLY: Record<Spread['spread'], string> = {
  parallax: 'even parallax',
  ratio: 'even ratio',
  steps: 'even steps',
}
export const EVEN: Spread = { near: 4, far: 40, spread: 'parallax' }
const KINDS = ['begin', 'assume', 'first_move', 'layers_again']
const SAYS = [...KINDS, 'find_edges'] // what may have something to say at its end
/** Whether some files are layers of one picture: one file that holds them, or several that may have alpha. */
export function layered(files: readonly { name: string }[]): boolean {
  const suffix = (f: { name: string }) => f.name.toLowerCase().split('.').pop() ?? ''
  if (files.length === 1) return suffix(files[0]) === 'ora'
  return files.every((f) => ['png', 'tif', 'tiff', 'webp', 'ora', 'svg', 'mp4', 'webm'].includes(suffix(f)))
}
export const asked = (how: Spread) => `?near=${how.near}&far=${how.far}&spread=${how.spread}` as const

/** What a beginning from the shelf had to say, which had no shot's page yet to say it on. */
export const told = ref<{ shot: string; notes: string[] } | null>(null)
export const notesOf = (job: Job) => (job.result as { notes?: string[] } | null | undefined)?.notes ?? []
/** What was said at the end of the last beginning and has been read, by job. */
const read = ref<string[]>([])

export function useBeginning() {
  const s = useShot()
  const mine = (j: Job) => KINDS.includes(j.kind)
  /** The beginning that is under way. */
  const under = computed(() => Object.values(s.jobs).find((j) => mine(j) && ['waiting', 'running'].includes(j.state)))
  const last = computed(() =>
    Object.values(s.jobs)
      .filter((j) => SAYS.includes(j.kind) && notesOf(j).length && j.state === 'done' && !read.value.includes(j.id))
      .at(-1),
  )
  const notes = computed(() => {
    if (last.value) return notesOf(last.value)
    return told.value?.shot === s.id ? told.value.notes : []
  })
  function understood() {
    if (last.value) read.value.push(last.value.id)
    else told.value = null
  }
  return {
    under,
    notes,
    understood,
    begin: (files: readonly File[], how: Spread) => s.work(`/begin${asked(how)}`, formOf(files)),
    again: (files: readonly File[]) => s.work('/layers', formOf(files)),
    findEdges: (photo: string) => s.work(`/photos/${photo}/survey/found`),
    assume: () => s.work('/assume'),
    firstMove: () => s.work('/first-move'),
  }
}
