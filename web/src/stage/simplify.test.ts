import { BoxGeometry, Mesh, SphereGeometry } from 'three'
import { expect, test } from 'vitest'

import { simplify } from './simplify'

const triangles = (meshes: Mesh[]) => meshes.reduce((sum, { geometry }) => sum + geometry.index!.count / 3, 0)

test('a fine figure keeps its vertices and its shape with a fraction of its triangles', async () => {
  const meshes = [new Mesh(new SphereGeometry(1, 160, 120)), new Mesh(new SphereGeometry(0.2, 80, 60))]
  const vertices = meshes.map(({ geometry }) => geometry.attributes.position.count)
  expect(triangles(meshes)).toBeGreaterThan(40_000)
  await simplify(meshes)
  expect(triangles(meshes)).toBeLessThanOrEqual(10_000)
  expect(meshes.map(({ geometry }) => geometry.attributes.position.count)).toEqual(vertices)
  // No triangle of it cuts off more than a hundredth of the ball.
  const { index, attributes } = meshes[0].geometry
  let nearest = 1
  for (let n = 0; n < index!.count; n += 3) {
    const corners = [0, 1, 2].map((k) => index!.getX(n + k))
    const middle = (axis: 'getX' | 'getY' | 'getZ') =>
      corners.reduce((sum, corner) => sum + attributes.position[axis](corner), 0) / 3
    nearest = Math.min(nearest, Math.hypot(middle('getX'), middle('getY'), middle('getZ')))
  }
  expect(nearest).toBeGreaterThan(0.98)
})

test('a figure of few triangles stays as it is', async () => {
  const box = new Mesh(new BoxGeometry(1, 1, 1))
  const before = box.geometry.index
  await simplify([box])
  expect(box.geometry.index).toBe(before)
})
