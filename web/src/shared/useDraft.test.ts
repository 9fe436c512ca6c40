import { nextTick, ref } from 'vue'
import { expect, test } from 'vitest'

import { useDraft } from './useDraft'

test('what is typed is left alone while others change the value, and says what it was begun on', async () => {
  const value = ref('Sweep')
  const version = ref(3)
  const draft = useDraft(
    () => value.value,
    () => version.value,
  )
  draft.begin()
  draft.text.value = 'Sweep the stairs'
  value.value = 'Sweep the hall'
  version.value = 4
  await nextTick()
  expect(draft.text.value).toBe('Sweep the stairs')
  expect(draft.end()).toBe(3)
  // Once it is over, what is there is shown, and what others change of it.
  draft.show()
  expect(draft.text.value).toBe('Sweep the hall')
  value.value = 'Sweep the tower'
  await nextTick()
  expect(draft.text.value).toBe('Sweep the tower')
})

test('what is left without a change shows the value again', async () => {
  const draft = useDraft(
    () => 'Bow',
    () => 1,
  )
  draft.begin()
  draft.text.value = 'B'
  draft.leave()
  expect(draft.text.value).toBe('Bow')
  expect(draft.end()).toBe(1)
})
