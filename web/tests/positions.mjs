// Print where every named node is, as three.js reads files: for each FILE:FPS:FRAMES[:CLIP] a list of places per frame.
// Without frames, at rest. Formats: .glb, .bvh, .dae.
import { readFileSync } from 'node:fs'
import { DOMParser } from '@xmldom/xmldom'
import { AnimationMixer, Vector3 } from 'three'
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js'
import { ColladaLoader } from 'three/addons/loaders/ColladaLoader.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

globalThis.self = globalThis
globalThis.DOMParser = DOMParser

async function read(path) {
  const data = readFileSync(path)
  if (path.endsWith('.bvh')) {
    const { skeleton, clip } = new BVHLoader().parse(data.toString())
    return [skeleton.bones[0], [clip]]
  }
  if (path.endsWith('.dae')) {
    const { scene } = new ColladaLoader().parse(data.toString(), '')
    return [scene, scene.animations]
  }
  const { scene, animations } = await new GLTFLoader().parseAsync(data.buffer.slice(data.byteOffset, data.byteOffset + data.length), '')
  return [scene, animations]
}

const out = []
for (const job of process.argv.slice(2)) {
  const [path, fps, frames, clip] = job.split('|')
  const [root, animations] = await read(path)
  const mixer = new AnimationMixer(root)
  const animation = clip ? animations.find((one) => one.name === clip) : animations[0]
  if (animation) mixer.clipAction(animation).play()
  const places = (frame) => {
    // A hair before the frame's own time, so that the last one does not wrap around to the first.
    if (animation) mixer.setTime(Math.max(0, Number(frame) / Number(fps) - 1e-6))
    root.updateMatrixWorld(true)
    const found = {}
    root.traverse((node) => {
      if (node.name) found[node.name] = node.getWorldPosition(new Vector3()).toArray()
    })
    return found
  }
  out.push(frames ? frames.split(',').map(places) : [places(0)])
}
console.log(JSON.stringify(out))
