import {
  CylinderGeometry,
  DynamicDrawUsage,
  InstancedMesh,
  Matrix4,
  MeshBasicMaterial,
  Quaternion,
  Vector3,
} from 'three'

import type { Tree } from './motion'
import type { Palette } from './palette'

const UP = new Vector3(0, 1, 0)
const from = new Vector3()
const to = new Vector3()
const barb = new Vector3()
const turn = new Quaternion()
const size = new Vector3()
const matrix = new Matrix4()
const NOTHING = new Matrix4().makeScale(0, 0, 0)
const BARBS = 5

/**
 * A small feather on every bone whose roll can be seen: barbs that leave the quill to the side its limb bends to.
 * Roll does not show on a stroke; a feather shows it.
 */
export class RollMarkers {
  readonly object: InstancedMesh
  private readonly child: number[]

  /** size: body height in metres. overlay: drawn over the mesh. */
  constructor(
    tree: Tree,
    palette: Palette,
    private readonly size: number,
    overlay = false,
  ) {
    this.child = tree.parents.map((_, joint) => tree.parents.indexOf(joint)).slice(0, tree.rings)
    const ink = new MeshBasicMaterial({ depthTest: !overlay, transparent: overlay, toneMapped: false })
    const stroke = new CylinderGeometry(0.2, 1, 1, 5, 1).translate(0, 0.5, 0)
    this.object = new InstancedMesh(stroke, ink, tree.rings * BARBS)
    this.object.instanceMatrix.setUsage(DynamicDrawUsage)
    this.object.frustumCulled = false
    this.object.renderOrder = overlay ? 6 : 2
    for (let joint = 0; joint < tree.rings; joint++) {
      for (let n = 0; n < BARBS; n++) this.object.setColorAt(joint * BARBS + n, palette.accent)
    }
  }

  /** positions: of the tree's points; marks: where each joint's bone bends to, in the world, zero for none. */
  place(positions: Float32Array, marks: Float32Array) {
    this.child.forEach((child, joint) => {
      const none = child < 0 || (marks[joint * 3] === 0 && marks[joint * 3 + 1] === 0 && marks[joint * 3 + 2] === 0)
      if (!none) {
        from.fromArray(positions, joint * 3)
        to.fromArray(positions, child * 3).sub(from)
      }
      const long = none ? 0 : to.length()
      for (let n = 0; n < BARBS; n++) {
        if (long < 1e-5) {
          this.object.setMatrixAt(joint * BARBS + n, NOTHING)
          continue
        }
        // Barbs slant outwards along the bone, the longest in the middle.
        const reach = Math.min(this.size * 0.062, long * 0.5) * (1 - 0.13 * Math.abs(n - 2))
        barb
          .fromArray(marks, joint * 3)
          .normalize()
          .multiplyScalar(reach)
          .addScaledVector(to, (0.45 * reach) / long)
        turn.setFromUnitVectors(UP, size.copy(barb).normalize())
        const thick = this.size * 0.0034
        matrix.compose(
          from.fromArray(positions, joint * 3).addScaledVector(to, 0.34 + n * 0.075),
          turn,
          size.set(thick, barb.length(), thick),
        )
        this.object.setMatrixAt(joint * BARBS + n, matrix)
      }
    })
    this.object.instanceMatrix.needsUpdate = true
  }

  dispose() {
    this.object.geometry.dispose()
    ;(this.object.material as MeshBasicMaterial).dispose()
    this.object.dispose()
    this.object.removeFromParent()
  }
}

/** Vectors turned by quaternions, one by one: into the frames they belong to with back, else out of them. */
export function turned(
  vectors: ArrayLike<number>,
  quaternions: ArrayLike<number>,
  count: number,
  back = false,
  at = 0,
): Float32Array {
  const out = new Float32Array(count * 3)
  for (let n = 0; n < count; n++) {
    turn.fromArray(quaternions as number[], at + n * 4)
    if (back) turn.invert()
    barb
      .fromArray(vectors as number[], n * 3)
      .applyQuaternion(turn)
      .toArray(out, n * 3)
  }
  return out
}
