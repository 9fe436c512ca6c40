import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { nextTick } from 'vue'

import type { Rendition } from '@/stores/renditions'
import JudgementBar from './JudgementBar.vue'

const rendition = (id: number) =>
  ({ id, clip: 'walk', character: 'porter', state: 'good', note: '', newest: {}, changed: [] }) as unknown as Rendition

test('a note that is begun while its result is still fetched is kept, and dropped with another result', async () => {
  const bar = mount(JudgementBar, {
    props: { rendition: rendition(1), judged: 2 },
    global: { stubs: { VBtn: true, StateMark: true } },
  })
  await (bar.vm as unknown as { write: (before: string) => Promise<void> }).write('')
  await bar.get('input').setValue('hands too far apart')
  await bar.setProps({ rendition: rendition(2) })
  expect((bar.get('input').element as HTMLInputElement).value).toBe('hands too far apart')
  await bar.get('form').trigger('submit')
  expect(bar.emitted('sendBack')).toEqual([['hands too far apart']])
  await (bar.vm as unknown as { write: (before: string) => Promise<void> }).write('')
  await bar.setProps({ judged: 3 })
  await nextTick()
  expect(bar.find('input').exists()).toBe(false)
})
