import { mount } from '@vue/test-utils'
import { beforeEach, expect, test, vi } from 'vitest'

import type { Schemas } from '@/api/client'
import ContactStrips from './ContactStrips.vue'

const FRAMES = 101
const WIDTH = 848 // so that a frame is eight pixels wide, from 24 on
const at = (frame: number) => 24 + 8 * frame

beforeEach(() => {
  vi.stubGlobal(
    'ResizeObserver',
    class {
      constructor(private told: (entries: { contentRect: { width: number } }[]) => void) {}
      observe() {
        this.told([{ contentRect: { width: WIDTH } }])
      }
      disconnect() {}
    },
  )
  Element.prototype.setPointerCapture = () => undefined
})

async function strips() {
  const points = ['left heel', 'left toes'].map((name) => ({
    name,
    limb: 'left leg',
    side: 'left',
    foot: true,
    part: 'left foot',
  }))
  const contacts = {
    points,
    contacts: [{ point: 'left heel', first: 20, last: 40, to: '', height: 0, by_hand: false }],
    by_hand: false,
  } as unknown as Schemas['ContactsOut']
  const made = mount(ContactStrips, { props: { frames: FRAMES, frame: 0, contacts }, attachTo: document.body })
  await made.vm.$nextTick()
  const root = made.element as HTMLElement
  root.getBoundingClientRect = () => ({ left: 0, top: 0, width: WIDTH, height: 24 }) as DOMRect
  const pointer = (kind: string, frame: number, on: Element = root, y = 2) =>
    on.dispatchEvent(
      new PointerEvent(kind, { bubbles: true, button: 0, buttons: 1, clientX: at(frame), clientY: y, pointerId: 1 }),
    )
  const bar = () => made.find('[data-contact]').element
  const set = () =>
    (made.emitted('set') as { first: number; last: number; point: string }[][][] | undefined)?.at(-1)?.[0]
  return { made, pointer, bar, set }
}

test('a contact that is moved stops whole at both ends of the clip', async () => {
  const { pointer, bar, set } = await strips()
  pointer('pointerdown', 30, bar())
  pointer('pointermove', 100)
  pointer('pointerup', 100)
  expect(set()).toMatchObject([{ first: 80, last: 100 }])
  pointer('pointerdown', 90, bar())
  pointer('pointermove', -50)
  pointer('pointerup', -50)
  expect(set()).toMatchObject([{ first: 0, last: 20 }])
})

test('an edge that is drawn goes no further than the other one and the clip', async () => {
  const { pointer, bar, set } = await strips()
  pointer('pointerdown', 20, bar())
  pointer('pointermove', 70)
  pointer('pointerup', 70)
  expect(set()).toMatchObject([{ first: 40, last: 40 }])
})

test('a contact is drawn into an empty place, and a mere press there goes to its frame', async () => {
  const { made, pointer, set } = await strips()
  pointer('pointerdown', 60, undefined, 20)
  pointer('pointerup', 60, undefined, 20)
  expect(set()).toBeUndefined()
  expect(made.emitted('frame')!.at(-1)).toEqual([60])
  pointer('pointerdown', 60, undefined, 20)
  pointer('pointermove', 400, undefined, 20)
  pointer('pointerup', 400, undefined, 20)
  expect(set()).toMatchObject([{ point: 'left heel' }, { point: 'left toes', first: 60, last: 100 }])
})
