import { Vector3 } from 'three'
import { expect, test } from 'vitest'

import { keepUp } from './following'

test('a camera keeps up with a body over the ground, aside and in depth, and stays at its height', () => {
  const [camera, target] = [new Vector3(1, 2, 5), new Vector3(0, 1, 0)]
  keepUp(camera, target, new Vector3(0, 0.9, 0), new Vector3(0.5, 1.4, -2))
  expect(camera.toArray()).toEqual([1.5, 2, 3])
  expect(target.toArray()).toEqual([0.5, 1, -2])
})
