/** What plates, pieces and surfaces are called; by their id where they are not there any more. */
import type { Shot } from '../api/client'

export const plateName = (shot: Shot, id: string) => shot.plates.find((p) => p.id === id)?.name ?? id
/** Of a piece, or of a face's piece. */
export const pieceName = (shot: Shot, id: string) =>
  shot.solids.find((x) => x.id === id.split('/')[0])?.name ?? id.split('/')[0]
/** Of a piece, or of a face with its piece: `Station house, front`. */
export const surfaceName = (shot: Shot, id: string) => [pieceName(shot, id), ...id.split('/').slice(1)].join(', ')
