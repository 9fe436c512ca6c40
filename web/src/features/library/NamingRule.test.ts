import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { createVuetify } from 'vuetify'

import type { Rule } from '@/stores/intake'
import NamingRule from './NamingRule.vue'

function ruleRow() {
  const rule = {
    style: 'as it is',
    pieces: [{ field: 'performer' }, { word: ' ' }, { field: 'action' }],
    fields: ['performer', 'action'],
    styles: ['as it is'],
  } satisfies Rule
  const made = mount(NamingRule, { props: { rule }, attachTo: document.body, global: { plugins: [createVuetify()] } })
  const lastChange = () => (made.emitted('change') as [string, object[]][]).at(-1)
  return { made, lastChange, pieces: () => made.findAll('.piece') }
}

test('pieces change places by the arrow keys, and stay where there is no place further', async () => {
  const { made, lastChange, pieces } = ruleRow()
  await pieces()[2].trigger('keydown', { key: 'ArrowLeft' })
  expect(lastChange()).toEqual(['as it is', [{ field: 'performer' }, { field: 'action' }, { word: ' ' }]])
  await pieces()[0].trigger('keydown', { key: 'ArrowLeft' })
  expect(made.emitted('change')).toHaveLength(1)
})

test('a piece is taken out by its key', async () => {
  const { lastChange, pieces } = ruleRow()
  await pieces()[0].trigger('keydown', { key: 'Delete' })
  expect(lastChange()![1]).toEqual([{ word: ' ' }, { field: 'action' }])
})
