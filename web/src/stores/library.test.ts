import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'

import { client } from '@/api/client'
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

test('a list that was asked for before a change does not take it back', async () => {
  const library = useLibrary()
  library.clips = [clip(5, 'changed again')]
  const rows = [clip(4, 'changed'), { ...clip(1, 'new'), id: 2 } as Clip]
  vi.spyOn(client, 'GET').mockImplementation((async (path: string) => ({
    data: path.endsWith('clips') ? rows : [],
    response: { ok: true, status: 200 },
  })) as never)
  await library.load()
  expect(library.clips.map((row) => row.name)).toEqual(['changed again', 'new'])
})
