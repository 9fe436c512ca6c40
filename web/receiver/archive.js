/**
 * A delivered archive as a program sees it that knows nothing of the studio: unpacked, read by the loaders of three.js,
 * and played. The manifest's places are compared with where joints come to be there.
 */
import { AnimationMixer, Group, Vector3 } from 'three'
import { unzipSync } from 'three/addons/libs/fflate.module.js'
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js'
import { ColladaLoader } from 'three/addons/loaders/ColladaLoader.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

/** Metres that a place may be off, beside what thinning has moved it. */
export const TOLERANCE = 1e-4
const UNITS = { m: 1, dm: 0.1, cm: 0.01, mm: 0.001, inch: 0.0254, foot: 0.3048 }
/** Formats whose motion three.js reads. */
export const READ = ['glb', 'dae', 'bvh']
const endingOf = (name) => name.slice(name.lastIndexOf('.') + 1).toLowerCase()

/** What is in an archive: its manifest, and the content of its files by their names. Throws a sentence. */
export function unpack(bytes) {
  let files
  try {
    files = unzipSync(bytes)
  } catch {
    throw new Error('This is no .zip, or it was cut short; fetch the delivery again.')
  }
  const text = files['manifest.json']
  if (!text) throw new Error('There is no manifest.json in it: this is no delivery.')
  let manifest
  try {
    manifest = JSON.parse(new TextDecoder().decode(text))
  } catch {
    throw new Error('Its manifest.json is damaged; fetch the delivery again.')
  }
  if (!Array.isArray(manifest.results)) throw new Error('Its manifest.json names no results: this is no delivery.')
  return { manifest, files }
}

/** A file as three.js reads it: what stands there, its animations, and what its numbers are meant in. */
export async function read(name, bytes) {
  const kind = endingOf(name)
  if (kind === 'bvh') {
    const { skeleton, clip } = new BVHLoader().parse(new TextDecoder().decode(bytes))
    const root = new Group()
    root.add(skeleton.bones[0])
    return { root, space: root, skeleton, animations: [clip] }
  }
  if (kind === 'dae') {
    const { scene } = new ColladaLoader().parse(new TextDecoder().decode(bytes), '')
    const root = new Group()
    root.add(scene)
    // The loader has an animation last as long as it is from its first key on, though it begins at that.
    for (const animation of scene.animations) animation.resetDuration()
    // The loader puts unit and axes of the file into the scene; below it numbers are the file's.
    return { root, space: scene, animations: scene.animations }
  }
  const whole = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength)
  const { scene, animations } = await new GLTFLoader().parseAsync(whole, '')
  return { root: scene, space: scene, animations }
}

/** Plays one animation of what was read; returns how to go to a time, in seconds. */
export function play({ root, animations }, clip) {
  const animation = animations.find(({ name }) => name === clip) ?? animations[0]
  const mixer = new AnimationMixer(root)
  if (animation) mixer.clipAction(animation).play()
  return {
    seconds: animation?.duration ?? 0,
    go(time) {
      // A hair before its end at most, so that the last frame does not wrap around to the first.
      mixer.setTime(Math.max(0, Math.min(time, (animation?.duration ?? 0) - 1e-6)))
      root.updateMatrixWorld(true)
    },
  }
}

/** A joint by its name in the file, which loaders keep or make usable as a path; part: under whose node it lies. */
export function findJoint(root, name, part) {
  let found
  const within = part ? findJoint(root, part) : root
  within?.traverse((node) => {
    if (node.userData.name === name || node.name === name) found ??= node
  })
  return found
}

/** The places that the manifest says of a result, with where they are as it was read here. Throws a sentence. */
export async function check(result, files, unit) {
  const bytes = files[result.file]
  if (!bytes) throw new Error(`${result.file}: the manifest names it, and it is not in the archive.`)
  if (!READ.includes(endingOf(result.file))) return { rows: [], motion: null }
  let motion
  try {
    motion = await read(result.file, bytes)
  } catch (problem) {
    throw new Error(`${result.file}: three.js cannot read it (${problem.message ?? problem}).`)
  }
  const { go } = play(motion, result.clip)
  const metres = endingOf(result.file) === 'glb' ? 1 : (UNITS[unit] ?? 1)
  const rows = (result.check ?? []).map((said) => {
    const joint = findJoint(motion.root, said.joint, result.part)
    if (!joint) return { ...said, read: null, off: Infinity }
    go(said.seconds)
    const read = motion.space.worldToLocal(joint.getWorldPosition(new Vector3()))
    return { ...said, read: read.toArray(), off: read.distanceTo(new Vector3(...said.at)) * metres }
  })
  return { rows, motion, tolerance: TOLERANCE + (result.thinned?.centimetres ?? 0) / 100 }
}
