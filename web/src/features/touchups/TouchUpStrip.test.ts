import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { computed, ref, shallowRef } from 'vue'

import type { KeyPath, Layer } from './touchups'
import TouchUpStrip from './TouchUpStrip.vue'
import type { TouchUps } from './useTouchUps'

const LAYER: Layer = {
  name: 'Mended',
  on: true,
  weight: [
    { frame: 30, value: 0.5 },
    { frame: 60, value: 1 },
  ],
  limbs: [],
  hold: true,
  touchups: [
    {
      channel: 'rotation',
      part: 'head',
      bone: 'skull',
      label: 'head',
      limb: 'spine',
      against: '',
      ease_in: 0.5,
      ease_out: 0.25,
      first: 5,
      last: 48,
      keys: [20, 40, null].map((frame, n) => ({
        frame,
        time: n,
        value: [0, 0, 0],
        turn: [0, 0, 0],
        to_next: 'smooth' as const,
        moved: n === 1 ? { far: 5, turned: 2 } : null,
        limb_then: [],
      })),
    },
  ],
}

function strip() {
  const keys = shallowRef<KeyPath[]>([])
  const touchups = {
    layer: computed(() => LAYER),
    keys,
    chosen: ref(''),
    chooseAll: vi.fn((paths: KeyPath[]) => (keys.value = paths)),
    choose: vi.fn((path: KeyPath, more?: boolean) => (keys.value = more ? [...keys.value, path] : [path])),
    edit: vi.fn(),
    ofKeys: vi.fn(),
  }
  const props = { frames: 101, frame: 0, fps: 30, touchups: touchups as unknown as TouchUps }
  const wrapper = mount(TouchUpStrip, { props, attachTo: document.body })
  // 800 wide: seven and a half pixels for each of a hundred frames.
  wrapper.element.getBoundingClientRect = () => ({ left: 0, top: 0, width: 800, height: 52 }) as DOMRect
  const key = (name: string) => wrapper.find(`[data-key="${name}"]`)
  const pull = async (on: ReturnType<typeof key>, from: number, to: number, more: object = {}) => {
    const at = (frame: number) => ({ clientX: 24 + (frame / 100) * 752, button: 0, pointerId: 1, ...more })
    ;(on.element as Element).setPointerCapture = () => undefined
    await on.trigger('pointerdown', at(from))
    await on.trigger('pointermove', at(to))
    await on.trigger('pointerup', at(to))
  }
  return { wrapper, touchups, key, pull }
}

describe('the strip of touch-ups', () => {
  it('moves a key that is drawn, and goes to one that is clicked', async () => {
    const { wrapper, touchups, key, pull } = strip()
    await pull(key('0.0'), 20, 27)
    expect(touchups.ofKeys).toHaveBeenCalledExactlyOnceWith({ op: 'shift', frames: 7 }, [[0, 0]])
    await pull(key('0.1'), 40, 40)
    expect(wrapper.emitted('frame')).toEqual([[40]])
    expect(touchups.keys.value).toEqual([[0, 1]])
  })
  it('moves several at once, and the whole bracket', async () => {
    const { wrapper, touchups, key, pull } = strip()
    await pull(key('0.0'), 20, 20)
    await pull(key('0.1'), 40, 43, { shiftKey: true })
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'shift', frames: 3 }, [
      [0, 0],
      [0, 1],
    ])
    await pull(wrapper.find('path.grip'), 30, 28)
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'shift', frames: -2 }, [
      [0, 0],
      [0, 1],
      [0, 2],
    ])
  })
  it('changes an ease in proportion to what it is', async () => {
    const { wrapper, touchups, pull } = strip()
    await pull(wrapper.find('[data-ease="first"]'), 5, 10)
    expect(touchups.edit).toHaveBeenLastCalledWith({ op: 'ease', touchup: 0, ease_in: (0.5 * 10) / 15, ease_out: 0.25 })
    await pull(wrapper.find('[data-ease="last"]'), 48, 10)
    expect(touchups.edit).toHaveBeenLastCalledWith({ op: 'ease', touchup: 0, ease_in: 0.5, ease_out: 0 })
  })
  it('does the same by keys', async () => {
    const { touchups, key } = strip()
    await key('0.0').trigger('keydown', { key: 'ArrowLeft' })
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'shift', frames: -1 }, [[0, 0]])
    await key('0.0').trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'shift', frames: 10 }, [[0, 0]])
    await key('0.1').trigger('keydown', { key: 'Delete' })
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'delete' }, [[0, 1]])
  })
  it('has keys of the weight, moved with the others and changed by keys', async () => {
    const { touchups, key, pull } = strip()
    await pull(key('0.0'), 20, 20)
    await pull(key('-1.0'), 30, 34, { shiftKey: true })
    expect(touchups.ofKeys).toHaveBeenLastCalledWith({ op: 'shift', frames: 4 }, [
      [0, 0],
      [-1, 0],
    ])
    await key('-1.0').trigger('keydown', { key: 'ArrowUp' })
    expect(touchups.edit).toHaveBeenLastCalledWith({ op: 'weight', frame: 30, weight: 0.55 })
    await key('-1.1').trigger('keydown', { key: 'ArrowDown', shiftKey: true })
    expect(touchups.edit).toHaveBeenLastCalledWith({ op: 'weight', frame: 60, weight: 0.75 })
  })
  it('chooses what a box is drawn around, and goes to a frame where only clicked', async () => {
    const { wrapper, touchups, key } = strip()
    const at = (frame: number, y: number, more: object = {}) => {
      return { clientX: 24 + (frame / 100) * 752, clientY: y, button: 0, buttons: 1, pointerId: 1, ...more }
    }
    ;(wrapper.element as Element).setPointerCapture = () => undefined
    wrapper.find('svg').element.getBoundingClientRect = () => ({ left: 0, top: 0 }) as DOMRect
    await wrapper.trigger('pointerdown', at(10, 2))
    await wrapper.trigger('pointermove', at(35, 60))
    expect(wrapper.find('rect.band').attributes('width')).toBe(`${0.25 * 752}`)
    await wrapper.trigger('pointerup', at(35, 60))
    expect(touchups.chooseAll).toHaveBeenLastCalledWith(
      [
        [0, 0],
        [-1, 0],
      ],
      false,
    )
    expect(wrapper.emitted('frame')).toBeUndefined()
    await wrapper.trigger('pointerdown', at(70, 40))
    await wrapper.trigger('pointerup', at(70, 40))
    expect(wrapper.emitted('frame')).toEqual([[70]])
    expect(touchups.keys.value).toEqual([])
    await wrapper.trigger('pointerdown', at(10, 2))
    await wrapper.trigger('pointermove', at(35, 60, { buttons: 0 }))
    expect(wrapper.find('rect.band').exists()).toBe(false)
    await key('0.1').trigger('keydown', { key: 'a', ctrlKey: true })
    expect(touchups.keys.value).toEqual([
      [0, 0],
      [0, 1],
      [0, 2],
      [-1, 0],
      [-1, 1],
    ])
  })
  it('says of keys that the clip does not show, and marks those made on an earlier result', () => {
    const { wrapper, key } = strip()
    expect(wrapper.text()).toContain('head: a key at 2.00 s, which the clip does not show')
    expect(key('0.1').text()).toBe('look')
    expect(key('0.0').text()).toBe('')
  })
})
