import { Group } from 'three'
import { expect, it, vi } from 'vitest'

import { BoneLines } from './boneLines'
import type { Figure } from './figure'
import { Stage } from './stage'

it('a pose that is newer than the motion of a figure stays while something else comes onto the stage', () => {
  // There is neither WebGL nor a floor to be drawn here.
  const nothing = new Proxy({}, { get: () => () => nothing, set: () => true })
  vi.spyOn(HTMLCanvasElement.prototype, 'getContext').mockImplementation(((kind: string) =>
    kind === '2d' ? nothing : null) as never)
  document.body.innerHTML = '<div><canvas></canvas></div>'
  const stage = new Stage(document.querySelector('canvas')!)
  const pose = vi.fn()
  const lines = () => new BoneLines({ parents: [-1], sides: [''], rings: 1 }, stage.palette, 1)
  const figure = { object: new Group(), boneLines: lines(), pose, dispose: vi.fn(), update: vi.fn() }
  stage.add('character', figure as unknown as Figure)
  stage.setFrame(1)
  pose.mockClear()
  const [bones, values] = [lines(), new Float32Array([0, 0, 0, 1, 2, 3])]
  stage.addSource('ghost', bones, { frames: 2, points: 1, values })
  expect(pose).not.toHaveBeenCalled()
  expect([...bones.positions]).toEqual([1, 2, 3])
  stage.setFrame(0)
  expect(pose).toHaveBeenCalledWith(0)
  expect([...bones.positions]).toEqual([0, 0, 0])
  stage.dispose()
})
