import { expect, test } from 'vitest'

import { useNewest } from './useNewest'

test('answers that come in reverse order do not bring back what was there before, and nobody waits in vain', async () => {
  const newest = useNewest()
  const answers: ((value: string) => void)[] = []
  const shown: string[] = []
  const ask = () =>
    newest(
      () => new Promise<string>((done) => answers.push(done)),
      (value) => shown.push(value),
    )
  const [first, second, third] = [ask(), ask(), ask()]
  answers[0]('first')
  await first // taken, although newer ones are on their way
  expect(shown).toEqual(['first'])
  answers[2]('third')
  await third
  answers[1]('second')
  await second
  expect(shown).toEqual(['first', 'third'])
})
