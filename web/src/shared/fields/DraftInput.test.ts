import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { h, nextTick, ref } from 'vue'

import DraftInput from './DraftInput.vue'

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

/** An input within a parent that is drawn anew whenever `measured` changes. */
function draft() {
  const value = ref('0')
  const measured = ref(0)
  const entered: string[] = []
  const wrapper = mount(() =>
    h('label', [
      `measured ${measured.value}`,
      h(DraftInput, {
        value: value.value,
        title: `drawn ${measured.value} times`,
        onChange: (event: Event) => entered.push((event.target as HTMLInputElement).value),
      }),
    ]),
  )
  const input = wrapper.get('input')
  const type = (letters: string) => {
    input.element.value = letters
    return input.trigger('input')
  }
  return { value, measured, entered, input, type, text: () => input.element.value }
}

test('what is typed stays while what is around it is drawn anew, and while the value changes', async () => {
  const { value, measured, entered, input, type, text } = draft()
  await type('8')
  measured.value += 1
  await nextTick()
  expect(input.attributes('title')).toBe('drawn 1 times')
  expect(text()).toBe('8')
  value.value = '3'
  await nextTick()
  expect(text()).toBe('8')
  await input.trigger('change')
  expect(entered).toEqual(['8'])
})

test('what was entered is shown until the value follows', async () => {
  const { value, input, type, text } = draft()
  await type('8')
  await input.trigger('change')
  await input.trigger('blur')
  expect(text()).toBe('8')
  value.value = '7.5'
  await nextTick()
  expect(text()).toBe('7.5')
})

test('what was refused is not shown for long', async () => {
  const { input, type, text } = draft()
  await type('abc')
  await input.trigger('change')
  await input.trigger('blur')
  await vi.advanceTimersByTimeAsync(2000)
  expect(text()).toBe('0')
})

test('Escape takes back what was typed, and so does leaving it without a change', async () => {
  const { value, input, type, text } = draft()
  await type('8')
  await input.trigger('keydown', { key: 'Escape' })
  expect(text()).toBe('0')
  await type('8')
  await type('0')
  await input.trigger('blur')
  value.value = '4'
  await nextTick()
  expect(text()).toBe('4')
})
