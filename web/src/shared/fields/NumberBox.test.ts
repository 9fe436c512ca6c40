import { mount } from '@vue/test-utils'
import { afterEach, expect, it } from 'vitest'

import { firstFrame, lengthUnit } from '@/shared/units'
import NumberBox from './NumberBox.vue'
import type { NumberField } from './numberField'

afterEach(() => {
  lengthUnit.value = 'cm'
  firstFrame.value = 0
})

const LENGTH: NumberField = {
  type: 'number',
  path: 'x',
  label: 'X',
  unit: 'cm',
  least: -100,
  most: 100,
  step: 1,
  scale: 100,
}
const FRAME: NumberField = { type: 'frame', path: 'at', label: 'at', unit: '', least: 0, most: 90, step: 1 }
const box = (field: NumberField, value: number) => mount(NumberBox, { props: { field, value, of: 'Hold' } })
async function typed(shown: ReturnType<typeof box>, text: string) {
  await shown.get('input').setValue(text)
  return shown.emitted('keep')?.at(-1)
}

it('takes a length in the chosen unit and keeps it in metres, within its bounds', async () => {
  const shown = box(LENGTH, 0.254)
  expect(shown.get('input').element.value).toBe('25.4')
  expect(await typed(shown, '30')).toEqual([0.3])
  lengthUnit.value = 'inch'
  const other = box(LENGTH, 0.254)
  expect(other.get('input').element.value).toBe('10')
  expect(other.get('input').attributes('aria-label')).toBe('Hold, X inch')
  expect((await typed(other, '20'))![0]).toBeCloseTo(0.508)
  expect(await typed(other, '900')).toEqual([1])
})

it('takes a frame by the number it has', async () => {
  firstFrame.value = 1
  const shown = box(FRAME, 4)
  expect(shown.get('input').element.value).toBe('5')
  expect(await typed(shown, '8')).toEqual([7])
  expect(await typed(shown, '0')).toEqual([0])
})

it('goes on by keys in steps of the unit', async () => {
  lengthUnit.value = 'inch'
  const shown = box(LENGTH, 0)
  await shown.get('input').trigger('keydown', { key: 'ArrowUp' })
  expect((shown.emitted('try')!.at(-1) as number[])[0]).toBeCloseTo(0.0127)
  expect(shown.get('input').element.value).toBe('0.5')
})
