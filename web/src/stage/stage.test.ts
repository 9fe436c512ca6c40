import { Group } from 'three'
import { expect, it, vi } from 'vitest'

import { BoneLines } from './boneLines'
import type { Figure } from './figure'
import { Stage } from './stage'

/** A stage where there is neither WebGL nor a floor to be drawn. */
function openStage() {
  const nothing = new Proxy({}, { get: () => () => nothing, set: () => true })
  vi.spyOn(HTMLCanvasElement.prototype, 'getContext').mockImplementation(((kind: string) =>
    kind === '2d' ? nothing : null) as never)
  document.body.innerHTML = '<div><canvas></canvas></div>'
  return new Stage(document.querySelector('canvas')!)
}

it('a pose that is newer than the motion of a figure stays while something else comes onto the stage', () => {
  const stage = openStage()
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

it('every frame that is played is drawn, also where beats of the screen come between them', () => {
  let asked: FrameRequestCallback[] = []
  vi.stubGlobal('requestAnimationFrame', (callback: FrameRequestCallback) => asked.push(callback))
  const stage = openStage()
  const [played, drawn] = [new Set<number>(), new Set<number>()]
  stage.afterDrawing(() => drawn.add(stage.frame))
  for (let beat = 0; beat < 30; beat++) {
    const due = asked
    asked = []
    // Whoever plays was asked for this beat before the stage was; a busy machine has none for some beats.
    if (beat % 3 !== 2) {
      stage.setFrame(beat)
      played.add(beat)
    }
    for (const callback of due) callback(performance.now())
  }
  expect(played.size - drawn.size).toBeLessThanOrEqual(1)
  stage.dispose()
  vi.unstubAllGlobals()
})
