import { BufferGeometry, Mesh, MeshBasicMaterial, MeshLambertMaterial, MeshPhysicalMaterial, Texture } from 'three'
import { expect, test } from 'vitest'

import { mattly } from './materials'

test('what a surface looks like stays, but for how it shines', () => {
  const map = new Texture()
  const brass = new MeshPhysicalMaterial({ color: 0xaa8833, map, metalness: 1, transparent: true, opacity: 0.5 })
  const plain = new MeshBasicMaterial({ color: 0x112233 })
  const mesh = new Mesh(new BufferGeometry(), [brass, plain])
  mattly(mesh)
  const [made, kept] = mesh.material as [MeshLambertMaterial, MeshBasicMaterial]
  expect(made).toBeInstanceOf(MeshLambertMaterial)
  expect([made.color.getHex(), made.map, made.transparent, made.opacity]).toEqual([0xaa8833, map, true, 0.5])
  expect(kept).toBe(plain)
})

test('a mesh with a single material has a single one', () => {
  const mesh = new Mesh(new BufferGeometry(), new MeshPhysicalMaterial({ alphaTest: 0.3 }))
  mattly(mesh)
  expect(mesh.material).toBeInstanceOf(MeshLambertMaterial)
  expect((mesh.material as unknown as MeshLambertMaterial).alphaTest).toBe(0.3)
})
