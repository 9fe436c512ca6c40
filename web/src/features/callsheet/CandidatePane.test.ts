import { flushPromises, mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'

import { useCallSheet, type Wanted } from '@/stores/callSheet'
import { useLibrary } from '@/stores/library'
import CandidatePane from './CandidatePane.vue'

beforeEach(() => setActivePinia(createPinia()))

const wanted = { id: 1, motion: 'walks', words: ['walk'], motions: [], fits: 0, lock_version: 1 } as unknown as Wanted
const candidate = (clip_id: number, fits = true) => ({ clip_id, fits, chosen: false, matches: [], character_ids: [] })

async function opened() {
  const library = useLibrary()
  library.clips = [1, 2, 3].map((id) => ({ id, name: `clip ${id}`, retired: false })) as never
  const sheet = useCallSheet()
  const offered = vi.spyOn(sheet, 'candidates').mockResolvedValue([candidate(1), candidate(2)] as never)
  const taken = vi.spyOn(sheet, 'take').mockResolvedValue([] as never)
  const pane = mount(CandidatePane, { props: { row: wanted }, global: { stubs: ['router-link', 'ClipPlate'] } })
  await flushPromises()
  const names = () => pane.findAll('.name').map((name) => name.text())
  const answered = async (...rows: object[]) => {
    offered.mockResolvedValue(rows as never)
    sheet.unmeasured += 1
    await flushPromises()
  }
  return { pane, names, offered, taken, answered }
}

it('keeps every clip at its number while more are measured, and lists the best first when it is told to', async () => {
  const { pane, names, taken, answered } = await opened()
  expect(names()).toEqual(['clip 1', 'clip 2'])
  expect(pane.text()).not.toContain('Others fit better now')
  await answered(candidate(3), candidate(2), candidate(1, false))
  expect(names()).toEqual(['clip 1', 'clip 2', 'clip 3'])
  pane.vm.takeNth(1)
  expect(taken).toHaveBeenCalledWith(1, 1)
  await pane.get('button.word').trigger('click')
  expect(names()).toEqual(['clip 3', 'clip 2', 'clip 1'])
  expect(pane.text()).not.toContain('Others fit better now')
})

it('lists the best first for another motion', async () => {
  const { pane, names, offered } = await opened()
  offered.mockResolvedValue([candidate(2), candidate(1)] as never)
  await pane.setProps({ row: { ...wanted, words: ['run'], lock_version: 2 } })
  await flushPromises()
  expect(names()).toEqual(['clip 2', 'clip 1'])
})
