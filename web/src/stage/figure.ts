import {
  BackSide,
  Box3,
  Color,
  Group,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  type Material,
  type Object3D,
  Quaternion,
  SkinnedMesh,
  Vector3,
} from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import { drawing } from './drawing'
import type { NodeMotion, Positions, Tree } from './motion'
import type { Palette } from './palette'
import { BoneLines } from './boneLines'

const at = new Vector3()
const spin = new Quaternion()

/** How a file's space becomes ours. */
export interface FileSpace {
  unit: number
  turn: number[]
}

/** Throws where a vertex is bound to a bone that there is not: drawing it would end the drawing of everybody. */
function checkSkin(mesh: Mesh) {
  if (!(mesh instanceof SkinnedMesh)) return
  const bones = mesh.skeleton.bones.length
  const indices = mesh.geometry.getAttribute('skinIndex')
  if (!indices || !mesh.geometry.getAttribute('skinWeight')) throw new Error(`${mesh.name}: a skin without weights`)
  for (let vertex = 0; vertex < indices.count; vertex++)
    for (let n = 0; n < indices.itemSize; n++)
      if (!(indices.getComponent(vertex, n) < bones)) throw new Error(`${mesh.name}: a weight of no bone`)
}

/** A character on the stage: its own mesh and materials with a thin ink line around them, and its bones on demand. */
export class Figure {
  readonly object = new Group()
  readonly boneLines: BoneLines
  readonly meshes: Mesh[] = []
  private readonly lines: Mesh[] = []
  private motion: NodeMotion | null = null
  private outlined = drawing() === 'full'
  private readonly rest: { position: Vector3; turn: Quaternion }[]

  private constructor(
    readonly scene: Object3D,
    readonly joints: Object3D[],
    tree: Tree,
    space: FileSpace,
    palette: Palette,
    size: number,
  ) {
    const inner = new Group()
    inner.quaternion.fromArray(space.turn as [number, number, number, number])
    inner.scale.setScalar(space.unit)
    inner.add(scene)
    this.object.add(inner)
    this.rest = joints.map((joint) => ({ position: joint.position.clone(), turn: joint.quaternion.clone() }))
    this.boneLines = new BoneLines(tree, palette, size, true)
    this.boneLines.object.visible = false
    scene.traverse((node) => {
      if (node instanceof Mesh) this.meshes.push(node)
    })
    this.meshes.forEach(checkSkin)
    for (const mesh of this.meshes) {
      mesh.castShadow = true
      mesh.frustumCulled = false
      this.lines.push(outlined(mesh, palette.ink, (size * 0.0017) / space.unit))
    }
    this.show(true, false)
    this.update()
  }

  /** Read a character's file. nodes: the glTF node of every joint of the tree. */
  static async read(data: ArrayBuffer, nodes: number[], tree: Tree, space: FileSpace, palette: Palette, size: number) {
    const gltf = await new GLTFLoader().parseAsync(data, '')
    const byNode = new Map<number, Object3D>()
    for (const [object, refers] of gltf.parser.associations) {
      const number = (refers as { nodes?: number } | undefined)?.nodes
      // A node with a mesh of several primitives is a group; its parts refer to the same node and come later.
      if (number !== undefined && 'isObject3D' in object && !byNode.has(number)) byNode.set(number, object as Object3D)
    }
    const joints = nodes.map((number) => {
      const found = byNode.get(number)
      if (!found) throw new Error(`node ${number} of the character is not in its scene`)
      return found
    })
    return new Figure(gltf.scene, joints, tree, space, palette, size)
  }

  get frames() {
    return this.motion?.frames ?? 1
  }

  play(motion: NodeMotion | null) {
    this.motion = motion
    if (!motion)
      this.joints.forEach((joint, n) => {
        joint.position.copy(this.rest[n].position)
        joint.quaternion.copy(this.rest[n].turn)
      })
    this.update()
  }

  /** Take the pose of a frame; past the end, the last one. */
  pose(frame: number) {
    const motion = this.motion
    if (!motion) return
    const f = Math.max(0, Math.min(frame, motion.frames - 1))
    this.joints.forEach((joint, n) => {
      const row = f * motion.joints + n
      joint.quaternion.fromArray(motion.rotations, row * 4)
      joint.position.fromArray(motion.translations, row * 3)
    })
    this.update()
  }

  /** Take one pose, whatever is being played: local rotations (joints, 4) and translations (joints, 3). */
  take(rotations: ArrayLike<number>, translations: ArrayLike<number>) {
    this.joints.forEach((joint, n) => {
      joint.quaternion.fromArray(rotations as number[], n * 4)
      joint.position.fromArray(translations as number[], n * 3)
    })
    this.update()
  }

  /** World rotations of the joints as they are drawn, four numbers each. */
  worldTurns(): Float32Array {
    const out = new Float32Array(this.joints.length * 4)
    this.joints.forEach((joint, n) => joint.getWorldQuaternion(spin).toArray(out, n * 4))
    return out
  }

  /** World positions of the joints as they are drawn. */
  worldPositions(): number[][] {
    return this.joints.map((joint) => joint.getWorldPosition(at).toArray())
  }

  /** Places of the joints in frames of its motion, in metres from where the figure was put; it stays in its pose. */
  path(frames: number[]): Positions {
    const back = this.object.matrixWorld.clone().invert()
    const values = new Float32Array(frames.length * this.joints.length * 3)
    const before = this.joints.map((joint) => ({ position: joint.position.clone(), turn: joint.quaternion.clone() }))
    frames.forEach((frame, n) => {
      this.pose(frame)
      this.joints.forEach((joint, k) =>
        joint
          .getWorldPosition(at)
          .applyMatrix4(back)
          .toArray(values, (n * this.joints.length + k) * 3),
      )
    })
    this.joints.forEach((joint, n) => {
      joint.position.copy(before[n].position)
      joint.quaternion.copy(before[n].turn)
    })
    this.update()
    return { frames: frames.length, points: this.joints.length, values }
  }

  show(mesh: boolean, bones: boolean) {
    for (const part of this.meshes) part.visible = mesh
    for (const line of this.lines) line.visible = mesh && this.outlined
    this.boneLines.object.visible = bones
  }

  /** Without shadow and ink line, as a second drawing of a figure that is there already. */
  bare() {
    this.outlined = false
    for (const mesh of this.meshes) mesh.castShadow = false
    for (const line of this.lines) line.visible = false
  }

  /** Bring world matrices and boneLines up to date with the joints. */
  update() {
    this.object.updateMatrixWorld(true)
    this.joints.forEach((joint, n) => joint.getWorldPosition(at).toArray(this.boneLines.positions, n * 3))
  }

  bounds(): Box3 {
    return new Box3().setFromObject(this.scene, true)
  }

  dispose() {
    this.boneLines.dispose()
    for (const part of [...this.meshes, ...this.lines]) {
      part.geometry.dispose()
      for (const material of [part.material].flat() as Material[]) {
        if (material instanceof MeshStandardMaterial) material.map?.dispose()
        material.dispose()
      }
    }
    this.object.removeFromParent()
  }
}

/** The same surface once more, a little larger and inside out: an ink line around the silhouette. */
function outlined(mesh: Mesh, ink: Color, width: number): Mesh {
  const material = new MeshBasicMaterial({ color: ink, side: BackSide, toneMapped: false })
  // Pushed back a little in depth, so that lines inside a fold of cloth stay behind the cloth.
  Object.assign(material, { polygonOffset: true, polygonOffsetFactor: 4, polygonOffsetUnits: 8 })
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader.replace(
      '#include <begin_vertex>',
      `#include <begin_vertex>\n transformed += normalize(normal) * ${width.toExponential(6)};`,
    )
  }
  material.customProgramCacheKey = () => `line ${width}`
  let line: Mesh
  if (mesh instanceof SkinnedMesh) {
    const skinned = new SkinnedMesh(mesh.geometry, material)
    skinned.bind(mesh.skeleton, mesh.bindMatrix)
    line = skinned
  } else line = new Mesh(mesh.geometry, material)
  line.frustumCulled = false
  line.position.copy(mesh.position)
  line.quaternion.copy(mesh.quaternion)
  line.scale.copy(mesh.scale)
  mesh.parent?.add(line)
  return line
}
