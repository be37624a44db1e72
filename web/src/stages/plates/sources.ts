/** What plates are made of: files, videos, tones, and where they lie. */
import { formOf, type Plate, type Schemas } from '../../api/client'
import { stays } from '../../hand/choice'
import type { useShot } from '../../state/shot'

type Store = ReturnType<typeof useShot>
export type Video = Schemas['Video']
export type Tone = Schemas['Tone']

export const AFTER = { hold: 'hold its end pictures', loop: 'over and over', clear: 'nothing' }
/** A dark that grows from below. */
export const DARK: Tone = { from: [0.16, 0.17, 0.19], to: [0.05, 0.05, 0.06], angle_deg: 90, cloud: null }

/** Whether a plate shows a file of its own, and not its photo's. */
export const ownFile = (s: Store, plate: Plate) =>
  !!plate.tone || plate.file !== s.shot.photos.find((p) => p.id === plate.photo)?.file

/** A display value of three as a colour of the page, and back. */
export const hex = (rgb: number[]) =>
  `#${rgb
    .map((v) =>
      Math.round(v * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`
export const rgbOf = (text: string) =>
  [1, 3, 5].map((i) => parseInt(text.slice(i, i + 2), 16) / 255) as [number, number, number]

const withPlate = (id: string, change: Partial<Plate>) => (shot: Store['shot']) => ({
  ...shot,
  plates: shot.plates.map((p) => (p.id === id ? { ...p, ...change } : p)),
})
export const runVideo = (s: Store, plate: string, video: Video) =>
  s.change('PUT', `/plates/${plate}/video`, video, withPlate(plate, { video }))
export const changeTone = (s: Store, plate: string, tone: Tone) =>
  s.change('PUT', `/plates/${plate}/tone`, tone, withPlate(plate, { tone }))
export const placePlate = (s: Store, plate: string, canvas: Plate['canvas']) =>
  s.change('PUT', `/plates/${plate}/place`, { canvas }, withPlate(plate, { canvas }))
export const placeOver = (s: Store, plate: string, over: string) => s.change('PUT', `/plates/${plate}/place`, { over })

/** Make a plate of a file in a photo's pixel grid, and choose it. */
export async function plateOfFile(s: Store, photo: string, file: File) {
  const there = new Set(s.shot.plates.map((p) => p.id))
  const mine = stays(() => s.plateId)
  const ok = await s.change('POST', `/plates/file?photo=${encodeURIComponent(photo)}`, formOf([file]))
  if (ok && mine()) s.plateId = s.shot.plates.find((p) => !there.has(p.id))?.id ?? s.plateId
  return ok
}
