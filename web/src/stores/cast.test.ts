import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'

import { client } from '@/api/client'
import { useCast, type Character } from './cast'

beforeEach(() => setActivePinia(createPinia()))
const character = (lock_version: number, name: string) => ({ id: 1, lock_version, name }) as Character
const answerWith = (data: unknown) =>
  vi.spyOn(client, 'GET').mockImplementation((async () => ({ data, response: { ok: true, status: 200 } })) as never)

test('a list that was asked for before a change does not take it back', async () => {
  const cast = useCast()
  cast.characters = [character(5, 'changed again')]
  answerWith([character(4, 'changed'), { ...character(1, 'new'), id: 2 }])
  await cast.load()
  expect(cast.characters.map((row) => row.name)).toEqual(['changed again', 'new'])
})

test('nor does an older answer about the character alone', async () => {
  const cast = useCast()
  cast.characters = [character(5, 'changed again')]
  answerWith(character(4, 'changed'))
  await cast.look(1)
  expect(cast.character(1)?.name).toBe('changed again')
})
