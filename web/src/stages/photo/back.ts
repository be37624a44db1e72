/** The film back that took a photo: by it focal lengths are told in millimetres. */
import type { Photo } from '../../api/client'

export const WIDE_MM = 36 // of a film back, where nothing is known of it
/** Usual formats by the names that the trade gives them, width and height in millimetres. */
export const FORMATS: [string, [number, number]][] = [
  ['Full frame', [36, 24]],
  ['Super 35', [24.89, 18.66]],
  ['APS-C', [23.6, 15.7]],
  ['Four Thirds', [17.3, 13]],
  ['1 inch', [13.2, 8.8]],
  ['Medium format, 44 × 33', [43.8, 32.9]],
  ['65 mm film, 5 perforations', [52.63, 23.01]],
]
type Taken = Pick<Photo, 'width' | 'height' | 'film_back_mm'>

/** Millimetres of film back that a photo pixel takes: `Photo.mm_a_pixel` of the server. */
export function millimetresAPixel({ width, height, film_back_mm }: Taken): number {
  if (!width || !height || !film_back_mm) return WIDE_MM / (width ?? 1)
  let [wide, tall] = film_back_mm
  if (wide < tall !== width < height) [wide, tall] = [tall, wide]
  return Math.min(wide / width, tall / height)
}
/** Width and height in millimetres of what a photo takes of its film back. */
export function backOf(photo: Taken): [number, number] {
  const mm = millimetresAPixel(photo)
  const rounded = (v: number) => Math.round(v * 100) / 100
  return [rounded((photo.width ?? 1) * mm), rounded((photo.height ?? 1) * mm)]
}
