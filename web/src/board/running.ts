/** The pictures of videos, got ahead of the frame that is shown, so that playing keeps its speed. */

export interface Film {
  plate: string
  /** Changes when its pictures do. */
  key: string
}
type Get = (film: Film, frame: number) => Promise<ImageBitmap>

const KEPT = 200 // pictures
const AT_ONCE = 3 // requests

/** Frames that are wanted, the one that is shown first, then those that follow it; round again after the last. */
export function ahead(frame: number, count: number, first: number, last: number): number[] {
  const length = last - first + 1
  return Array.from(
    { length: Math.min(count + 1, length) },
    (_, i) => first + ((((frame - first + i) % length) + length) % length),
  )
}

export class Running {
  private pictures = new Map<string, ImageBitmap>()
  private failed = new Set<string>()
  private wanted: { film: Film; frame: number; name: string }[] = []
  private under = new Set<string>()

  /** `get`: asks for a picture; `arrived`: told the frame whose picture has come. */
  constructor(
    private get: Get,
    private arrived: (frame: number) => void,
  ) {}

  private name = (film: Film, frame: number) => `${film.plate} ${film.key} ${frame}`

  /** The picture of a film at a frame, where it is there. */
  at(film: Film, frame: number): ImageBitmap | null {
    const name = this.name(film, frame)
    const found = this.pictures.get(name)
    if (!found) return null
    this.pictures.delete(name) // the ones that were looked at longest ago go first
    this.pictures.set(name, found)
    return found
  }

  /** Get these frames of these films, in this order; what was wanted before and has not been asked for is let go. */
  want(films: Film[], frames: number[]) {
    this.wanted = frames.flatMap((frame) =>
      films
        .map((film) => ({ film, frame, name: this.name(film, frame) }))
        .filter((w) => !this.pictures.has(w.name) && !this.failed.has(w.name) && !this.under.has(w.name)),
    )
    this.go()
  }

  private go() {
    while (this.under.size < AT_ONCE && this.wanted.length) {
      const next = this.wanted.shift()!
      this.under.add(next.name)
      void this.get(next.film, next.frame)
        .then((picture) => this.keep(next.name, next.frame, picture))
        .catch(() => this.failed.add(next.name))
        .finally(() => {
          this.under.delete(next.name)
          this.go()
        })
    }
  }

  private keep(name: string, frame: number, picture: ImageBitmap) {
    this.pictures.set(name, picture)
    for (const [old, dropped] of this.pictures) {
      if (this.pictures.size <= KEPT) break
      this.pictures.delete(old)
      dropped.close()
    }
    this.arrived(frame)
  }

  clear() {
    this.wanted = []
    this.pictures.forEach((p) => p.close())
    this.pictures.clear()
    this.failed.clear()
  }
}
