/** The page before its shot is there. */
import { createPinia, setActivePinia } from 'pinia'
import { expect, it, vi } from 'vitest'
import { useShot } from './shot'

vi.mock('./news', () => ({ listen: () => () => undefined }))

it('asks for nothing, though keys may be pressed already', async () => {
  const asked = vi.spyOn(globalThis, 'fetch')
  setActivePinia(createPinia())
  const s = useShot()
  await s.undo()
  await s.redo()
  expect(await s.set('limits', { stretch: 3 })).toBe(false)
  expect(asked).not.toHaveBeenCalled()
  expect(s.problem).toBeNull()
})
