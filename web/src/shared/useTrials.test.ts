import { expect, test, vi } from 'vitest'

import { useTrials } from './useTrials'

function trials() {
  const answers: ((value: string) => void)[] = []
  const ask = vi.fn<(wanted: number) => Promise<string>>(() => new Promise((resolve) => answers.push(resolve)))
  const [show, fail] = [vi.fn(), vi.fn()]
  return { answers, ask, show, fail, ...useTrials(ask, show, fail) }
}

test('the latest of those that came meanwhile is asked next', async () => {
  const { answers, ask, show, attempt } = trials()
  const done = attempt(1)
  void attempt(2)
  void attempt(3)
  answers[0]('first')
  await vi.waitFor(() => expect(ask).toHaveBeenCalledTimes(2))
  answers[1]('third')
  await done
  expect(ask.mock.calls).toEqual([[1], [3]])
  expect(show.mock.calls).toEqual([['first'], ['third']])
})

test('what is settled is shown no more, and what waited is not asked', async () => {
  const { answers, ask, show, attempt, settle } = trials()
  const done = attempt(1)
  void attempt(2)
  settle()
  answers[0]('late')
  await done
  expect(ask).toHaveBeenCalledTimes(1)
  expect(show).not.toHaveBeenCalled()
})

test('a failure is said, and the next can be tried', async () => {
  const [show, fail] = [vi.fn(), vi.fn()]
  const ask = vi.fn().mockRejectedValueOnce(new Error('no')).mockResolvedValueOnce('yes')
  const { attempt } = useTrials<number, string>(ask, show, fail)
  await attempt(1)
  await attempt(2)
  expect(fail).toHaveBeenCalledTimes(1)
  expect(show).toHaveBeenCalledExactlyOnceWith('yes')
})
