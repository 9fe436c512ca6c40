import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test } from 'vitest'

import { useLibrary, type Clip } from './library'

beforeEach(() => setActivePinia(createPinia()))
const clip = (lock_version: number, name: string) => ({ id: 1, lock_version, name }) as Clip

test('an older answer does not take the place of a newer one', () => {
  const library = useLibrary()
  library.clips = [clip(3, 'as it was')]
  library.put([clip(5, 'changed again')])
  library.put([clip(4, 'changed')])
  expect(library.clip(1)?.name).toBe('changed again')
  library.put([clip(5, 'the same version, looked at')])
  expect(library.clip(1)?.name).toBe('the same version, looked at')
})
