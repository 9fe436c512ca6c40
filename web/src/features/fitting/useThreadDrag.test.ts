import { afterEach, beforeEach, expect, test, vi } from 'vitest'

import { useThreadDrag } from './useThreadDrag'
import type { Node } from './weave'

const node = (id: string) => ({ id, which: id.split(' ')[0], bone: id.split(' ')[1] }) as Node
const [hips, pelvis] = [node('source Hips'), node('target pelvis')]
const pointer = (type: string, x: number, y: number, more: PointerEventInit = {}) =>
  new PointerEvent(type, { clientX: x, clientY: y, button: 0, ...more })
/** The bone of the character lies from x = 100 on, that of the source before 20. */
const handlers = () => ({
  under: (x: number) => (x >= 100 ? pelvis : x < 20 ? hips : undefined),
  over: vi.fn(),
  drop: vi.fn(),
})
const move = (x: number, y = 0) => window.dispatchEvent(pointer('pointermove', x, y))
const release = (x: number, more: PointerEventInit = {}) => window.dispatchEvent(pointer('pointerup', x, 0, more))

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

test('a thread goes from the bone that was pressed to the one it is let go on', () => {
  const does = handlers()
  const drag = useThreadDrag(does)
  drag.press(pointer('pointerdown', 0, 0), hips)
  move(60)
  expect(drag.held.value).toMatchObject({ node: { id: 'source Hips' }, x: 60 })
  expect(does.over).toHaveBeenLastCalledWith(hips) // nothing lies under it: the bone it comes from
  move(110)
  expect(does.over).toHaveBeenLastCalledWith(pelvis)
  release(110, { shiftKey: true })
  expect(does.drop.mock.calls).toEqual([[hips, pelvis, true]])
  expect([drag.held.value, drag.isDrop()]).toEqual([null, true])
  // The click that a browser makes of it comes at once; a later one is a click.
  vi.runAllTimers()
  expect(drag.isDrop()).toBe(false)
})

test('a hand that trembles presses, and draws no thread', () => {
  const does = handlers()
  const drag = useThreadDrag(does)
  drag.press(pointer('pointerdown', 0, 0), hips)
  move(3, 3)
  release(3)
  expect([does.over.mock.calls.length, does.drop.mock.calls.length, drag.isDrop()]).toEqual([0, 0, false])
})

test('nothing comes of a thread let go on its own bone or on none, nor of another button', () => {
  const does = handlers()
  const drag = useThreadDrag(does)
  for (const end of [5, 60]) {
    drag.press(pointer('pointerdown', 0, 0), hips)
    move(50)
    release(end)
  }
  drag.press(pointer('pointerdown', 0, 0, { button: 2 }), hips)
  move(120)
  release(120)
  expect(does.drop).not.toHaveBeenCalled()
})
