import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import ShareSlider from './ShareSlider.vue'

test('the answer to what was kept before does not move what a hand is on', async () => {
  const view = mount(ShareSlider, { props: { label: 'Hold', value: 0.2 } })
  const slider = view.find<HTMLInputElement>('input[type=range]')
  const draw = (value: string) => {
    slider.element.value = value
    return slider.trigger('input')
  }
  await draw('0.5')
  await slider.trigger('change')
  await draw('0.8')
  await view.setProps({ value: 0.5 })
  expect(slider.element.value).toBe('0.8')
  await slider.trigger('change')
  expect(view.emitted('keep')).toEqual([[0.5], [0.8]])
  await view.setProps({ value: 0.8 })
  await view.setProps({ value: 0.3 }) // by another
  expect(slider.element.value).toBe('0.3')
  // Back where it was when it is let go of, which changes nothing.
  await draw('0.6')
  await draw('0.3')
  await view.setProps({ value: 0.4 })
  await slider.trigger('pointerup')
  await new Promise((done) => setTimeout(done))
  expect(slider.element.value).toBe('0.4')
  expect(view.emitted('keep')).toHaveLength(2)
})
