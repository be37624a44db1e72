import { describe, expect, it } from 'vitest'
import { oneAtATime } from './oneAtATime'

describe('one request at a time', () => {
  function server() {
    const asked: string[] = []
    const answers: { well: () => void; badly: () => void }[] = []
    const ask = oneAtATime((of: string) => {
      asked.push(of)
      return new Promise<void>((well, badly) => answers.push({ well, badly: () => badly(new Error('no')) }))
    })
    return { asked, answers, ask }
  }
  const settled = () => new Promise((r) => setTimeout(r))

  it('is shared by all who ask while one is out, and is of what was asked last', async () => {
    const { asked, answers, ask } = server()
    const first = ask('a')
    const rest = [ask('b'), ask('c'), ask('d')]
    expect(asked).toEqual(['a'])
    answers[0].well()
    await first
    await settled()
    expect(asked).toEqual(['a', 'd'])
    answers[1].well()
    await Promise.all(rest)
    expect(asked).toEqual(['a', 'd'])
    void ask('e')
    expect(asked).toEqual(['a', 'd', 'e'])
  })

  it('goes on after one that failed', async () => {
    const { asked, answers, ask } = server()
    const first = ask('a')
    const second = ask('b')
    answers[0].badly()
    await expect(first).rejects.toThrow('no')
    await settled()
    expect(asked).toEqual(['a', 'b'])
    answers[1].well()
    await second
  })
})
