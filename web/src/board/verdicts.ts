/** Verdicts as patterns: colour is never the only code. */
import { VERDICTS } from '../api/shared.gen'

export { VERDICTS }
export type Verdict = (typeof VERDICTS)[number]
/** Colours that plates are told apart by, in the shot's order. */
export const PIGMENTS = ['#2f7d74', '#b87a12', '#6b4fa0', '#b5432a', '#2b5c8a', '#7a6a2c', '#8a3f66', '#44535c']
export const SAYS: Record<Verdict, string> = {
  sound: 'holds',
  soft: 'enlarged too far',
  smeared: 'stretched too far',
  spilled: 'where the plate could not see',
  bare: 'needs paint',
  void: 'no surface',
}

/** RGBA of a verdict at a pixel of the overlay. */
function inkAt(code: number, x: number, y: number): [number, number, number, number] {
  switch (code) {
    case 1: {
      const dx = (x % 8) - 3.5
      const dy = (y % 8) - 3.5
      return dx * dx + dy * dy < 5 ? [156, 195, 224, 255] : [156, 195, 224, 70]
    }
    case 2:
      return (x + y) % 8 < 3 ? [184, 122, 18, 255] : [184, 122, 18, 70]
    case 3:
      return (x + y) % 8 < 2 || (x - y + 8000) % 8 < 2 ? [107, 79, 160, 255] : [107, 79, 160, 70]
    case 4:
      return [181, 67, 42, 235]
    case 5:
      return (x + y) % 10 < 2 ? [255, 255, 255, 255] : [34, 48, 58, 255]
    default:
      return [0, 0, 0, 0]
  }
}

/** RGBA of a plate's number at a pixel: its pigment; every second eight of plates hatched. */
function plateAt(number: number, x: number, y: number): [number, number, number, number] {
  if (!number) return [0, 0, 0, 0]
  const pigment = PIGMENTS[(number - 1) % PIGMENTS.length]
  const [r, g, b] = [1, 3, 5].map((i) => parseInt(pigment.slice(i, i + 2), 16))
  const hatched = Math.floor((number - 1) / PIGMENTS.length) % 2 && (x + y) % 8 < 3
  return [r, g, b, hatched ? 90 : 190]
}

export const drawVerdicts = (bitmap: ImageBitmap, canvas: HTMLCanvasElement) => drawCodes(bitmap, canvas, inkAt)
export const drawPlates = (bitmap: ImageBitmap, canvas: HTMLCanvasElement) => drawCodes(bitmap, canvas, plateAt)

function drawCodes(bitmap: ImageBitmap, canvas: HTMLCanvasElement, colour: typeof inkAt) {
  canvas.width = bitmap.width
  canvas.height = bitmap.height
  const g = canvas.getContext('2d', { willReadFrequently: true })!
  g.clearRect(0, 0, canvas.width, canvas.height)
  g.drawImage(bitmap, 0, 0)
  const image = g.getImageData(0, 0, canvas.width, canvas.height)
  const d = image.data
  for (let y = 0, i = 0; y < canvas.height; y++) {
    for (let x = 0; x < canvas.width; x++, i += 4) {
      const [r, gr, b, a] = colour(d[i], x, y)
      d[i] = r
      d[i + 1] = gr
      d[i + 2] = b
      d[i + 3] = a
    }
  }
  g.putImageData(image, 0, 0)
}

/** A small swatch of a verdict's pattern, as a data address. */
export function swatch(code: number): string {
  const canvas = document.createElement('canvas')
  canvas.width = 22
  canvas.height = 12
  const g = canvas.getContext('2d')!
  const image = g.createImageData(22, 12)
  for (let y = 0, i = 0; y < 12; y++) for (let x = 0; x < 22; x++, i += 4) image.data.set(inkAt(code, x, y), i)
  g.putImageData(image, 0, 0)
  return canvas.toDataURL()
}
