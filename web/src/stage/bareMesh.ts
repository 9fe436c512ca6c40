import { Group, Mesh, type Material, type Object3D } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import type { FileSpace } from './figure'

/** A file's mesh without bones, in metres with +Y up. */
export async function readBareMesh(data: ArrayBuffer, space: FileSpace): Promise<Object3D> {
  const gltf = await new GLTFLoader().parseAsync(data, '')
  const group = new Group()
  group.quaternion.fromArray(space.turn as [number, number, number, number])
  group.scale.setScalar(space.unit)
  group.add(gltf.scene)
  group.updateMatrixWorld(true)
  return group
}

export function disposeMesh(object: Object3D) {
  object.traverse((node) => {
    if (!(node instanceof Mesh)) return
    node.geometry.dispose()
    for (const material of [node.material].flat() as Material[]) material.dispose()
  })
}
