import { describe, expect, it } from 'vitest'

import { useLatest } from './useLatest'

function later<Answer>() {
  let give!: (answer: Answer) => void
  let fail!: (problem: Error) => void
  const answer = new Promise<Answer>((resolve, reject) => ((give = resolve), (fail = reject)))
  return { answer, give, fail }
}

describe('the latest of several questions', () => {
  it('is the only one whose answer is taken, and the others go on when it is', async () => {
    const latest = useLatest()
    const [first, second] = [later<string>(), later<string>()]
    const taken: string[] = []
    const order: string[] = []
    const a = latest(
      () => first.answer,
      (answer) => taken.push(answer),
    ).then(() => order.push(`first, with ${taken.join()}`))
    const b = latest(
      () => second.answer,
      (answer) => taken.push(answer),
    ).then(() => order.push('second'))
    first.give('old')
    await new Promise((resolve) => setTimeout(resolve))
    expect([taken, order]).toEqual([[], []])
    second.give('new')
    await Promise.all([a, b])
    expect(taken).toEqual(['new'])
    expect(order).toContain('first, with new')
  })

  it('is the one that says when it fails', async () => {
    const latest = useLatest()
    const [first, second] = [later<string>(), later<string>()]
    const a = latest(
      () => first.answer,
      () => undefined,
    )
    const b = latest(
      () => second.answer,
      () => undefined,
    )
    first.give('old')
    second.fail(new Error('gone'))
    await expect(b).rejects.toThrow('gone')
    await expect(a).resolves.toBeUndefined()
  })
})
