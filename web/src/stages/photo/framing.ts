/** The delivered frame over the home photo: where it lies, its margins, and what they mean. */
import { computed, ref } from 'vue'
import type { Vec2 } from '../../api/client'
import { useShot } from '../../state/shot'

const drag = ref<Vec2 | null>(null)

export function useFraming() {
  const s = useShot()
  const photo = computed(() => s.homePhoto ?? s.shot.photos[0] ?? null)
  const framing = computed(() => {
    const p = photo.value
    if (!p?.width || !p.height) return null
    const d = s.shot.delivery
    if (d.framing) return d.framing
    const scale = Math.min(p.width / d.width, p.height / d.height)
    return { scale, centre: (p.camera?.principal_point ?? [p.width / 2, p.height / 2]) as Vec2 }
  })
  const box = computed(() => {
    const f = framing.value
    if (!f) return null
    const d = s.shot.delivery
    const centre = drag.value ?? f.centre
    const w = d.width * f.scale
    const h = d.height * f.scale
    return { x: centre[0] - w / 2, y: centre[1] - h / 2, w, h }
  })
  const margins = computed(() => {
    const p = photo.value
    const b = box.value
    if (!p || !b) return null
    return { left: b.x, top: b.y, right: p.width! - b.x - b.w, bottom: p.height! - b.y - b.h }
  })
  /** What is to be said at once: bars, enlargement. */
  const sentences = computed(() => {
    const f = framing.value
    const m = margins.value
    if (!f || !m) return []
    const out: string[] = []
    const short = (Object.entries(m) as [string, number][]).filter(([, v]) => v < -0.5)
    if (short.length) {
      const bars = short.map(([side, v]) => `${Math.round(-v)} px empty at the ${side}`).join(', ')
      out.push(`The frame reaches past the photo: ${bars}. These bars would have no picture.`)
    }
    if (f.scale < 0.999) {
      const times = (1 / f.scale).toFixed(2)
      out.push(`The photo is enlarged ${times} times: one photo pixel covers ${times} delivered pixels at home.`)
    }
    return out
  })
  async function set(change: { scale?: number; centre?: Vec2 }) {
    const f = framing.value
    if (!f) return
    const framed = { scale: f.scale, centre: f.centre, ...change }
    await s.set('delivery', { framing: framed })
  }
  return { photo, framing, box, margins, sentences, set, drag }
}
