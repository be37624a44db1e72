import { describe, expect, it } from 'vitest'
import type { useShot } from '../state/shot'

/** Read by the compiler (`npm run check`): a line that it ought to refuse and does not is an error there. */
const asked = (s: ReturnType<typeof useShot>, id: string) => [
  () => s.change('PUT', '/name', { name: 'Mill' }),
  () => s.change('PUT', `/solids/${id}/motion`, () => ({ motion: null })),
  () => s.change('PATCH', `/photos/${id}/survey?label=Trace`, { given: { camera_height_m: 1.6 } }),
  () => s.change('DELETE', `/keys/${12}`),
  () => s.work('/deliveries', { form: 'mp4' }),
  // @ts-expect-error no such path
  () => s.change('PUT', '/nowhere', {}),
  // @ts-expect-error not by that method
  () => s.change('DELETE', '/name'),
  // @ts-expect-error a name that the body has not
  () => s.change('PUT', '/name', { named: 'Mill' }),
  // @ts-expect-error a value that it cannot hold
  () => s.change('PATCH', '/travel', { aim_share: 'half' }),
  // @ts-expect-error the same of a body that is made when its turn comes
  () => s.change('PUT', `/solids/${id}/motion`, () => ({ motion: 7 })),
  // @ts-expect-error a form that nothing is delivered as
  () => s.work('/deliveries', { form: 'gif' }),
]

describe('what a page asks', () => {
  it('is written as the server’s document has it', () => expect(asked({} as never, 'a')).toHaveLength(11))
})
