import { expect, it } from 'vitest'

import { useLatest } from './useLatest'

it('takes the latest answer, though an earlier one comes after it', async () => {
  const latest = useLatest()
  const ways: ((answer: string) => void)[] = []
  const ask = () => new Promise<string>((resolve) => ways.push(resolve))
  const taken: string[] = []
  const first = latest(ask, (answer) => taken.push(answer))
  const second = latest(ask, (answer) => taken.push(answer))
  ways[1]('new')
  await second
  ways[0]('old')
  await first
  expect(taken).toEqual(['new'])
})
