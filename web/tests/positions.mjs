// Print the world position of every named node at some frames (30 a second), as three.js reads a .glb or .bvh.
import { readFileSync } from 'node:fs'
import { AnimationMixer, Vector3 } from 'three'
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

globalThis.self = globalThis
const [path, ...frames] = process.argv.slice(2)
const data = readFileSync(path)
let root, clip
if (path.endsWith('.bvh')) {
  const read = new BVHLoader().parse(data.toString())
  root = read.skeleton.bones[0]
  clip = read.clip
} else {
  const read = await new GLTFLoader().parseAsync(data.buffer.slice(data.byteOffset, data.byteOffset + data.length), '')
  root = read.scene
  clip = read.animations[0]
}
const mixer = new AnimationMixer(root)
mixer.clipAction(clip).play()
const out = frames.map((frame) => {
  // A hair before the frame's own time, so that the last one does not wrap around to the first.
  mixer.setTime(Math.max(0, Number(frame) / 30 - 1e-6))
  root.updateMatrixWorld(true)
  const places = {}
  root.traverse((node) => {
    if (node.name) places[node.name] = node.getWorldPosition(new Vector3()).toArray()
  })
  return places
})
console.log(JSON.stringify(out))
