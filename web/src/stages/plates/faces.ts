/** The faces of a set, as lists offer them. */
import type { useShot } from '../../state/shot'

/** Faces of all pieces but cut-outs, with the names that people read. */
export function facesOf(s: ReturnType<typeof useShot>): { id: string; name: string }[] {
  return (s.state?.shapes ?? [])
    .filter((x) => !x.cutout)
    .flatMap((x) => {
      const name = s.shot.solids.find((y) => y.id === x.id)?.name ?? x.id
      return [...new Set(x.names)].map((n) => ({ id: `${x.id}/${n}`, name: `${name}, ${n}` }))
    })
}
