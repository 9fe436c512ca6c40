import { MOUSE, PerspectiveCamera } from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { beforeEach, expect, it } from 'vitest'

import { BUTTONS, choosePointerButtons, followPointerButtons, pointerButtons } from './pointerButtons'

beforeEach(() => localStorage.clear())

it('open stages follow what is chosen, until they are closed', () => {
  const controls = new OrbitControls(new PerspectiveCamera(), document.createElement('canvas'))
  const end = followPointerButtons(controls)
  expect(controls.mouseButtons).toEqual({ LEFT: MOUSE.ROTATE, MIDDLE: MOUSE.DOLLY, RIGHT: MOUSE.PAN })
  choosePointerButtons({ left: 'nothing', middle: 'turn', right: 'closer', wheelAway: true })
  expect(controls.mouseButtons).toEqual({ LEFT: null, MIDDLE: MOUSE.ROTATE, RIGHT: MOUSE.DOLLY })
  expect(controls.zoomSpeed).toBe(-1)
  end()
  choosePointerButtons({ ...BUTTONS })
  expect(controls.zoomSpeed).toBe(-1)
})

it('what is no choice is as it is without one', () => {
  for (const text of ['{', 'null', '[]', '{"left":"toString","wheelAway":1}', '{"middle":7}']) {
    localStorage.setItem('armuto.pointer', text)
    expect(pointerButtons()).toEqual(BUTTONS)
  }
})
