import {
  type Camera,
  CylinderGeometry,
  type Color,
  DynamicDrawUsage,
  Group,
  InstancedMesh,
  Matrix4,
  MeshBasicMaterial,
  Quaternion,
  RingGeometry,
  CircleGeometry,
  Vector3,
} from 'three'

import type { Positions, Tree } from './motion'
import type { Palette } from './palette'

const UP = new Vector3(0, 1, 0)
const a = new Vector3()
const b = new Vector3()
const along = new Vector3()
const aside = new Vector3()
const look = new Vector3()
const scale = new Vector3()
const turn = new Quaternion()
const matrix = new Matrix4()
const NOTHING = new Matrix4().makeScale(0, 0, 0)

/**
 * A skeleton as quill strokes: thin tapering strokes from joint to child, a small open ring at each joint. The left
 * side is one stroke, the right side a double line. A selected joint's ring is filled.
 */
export class BoneLines {
  readonly object = new Group()
  readonly positions: Float32Array
  private readonly strokes: InstancedMesh
  private readonly rings: InstancedMesh
  private readonly dots: InstancedMesh
  private readonly links: { from: number; to: number; right: boolean }[]
  private selected = new Set<number>()
  private large = new Set<number>()

  /** size: body height in metres, by which strokes and rings are measured. overlay: drawn over the mesh. */
  constructor(
    readonly tree: Tree,
    palette: Palette,
    readonly size: number,
    overlay = false,
  ) {
    this.positions = new Float32Array(tree.parents.length * 3)
    this.links = tree.parents.flatMap((from, to) => {
      const link = { from, to, right: tree.sides[to] === 'right' }
      return from < 0 ? [] : link.right ? [link, link] : [link]
    })
    const ink = () => new MeshBasicMaterial({ depthTest: !overlay, transparent: overlay, toneMapped: false })
    // Unit stroke along +Y: broad where it leaves the joint, nearly a point where it arrives.
    const stroke = new CylinderGeometry(0.28, 1, 1, 7, 1, true).translate(0, 0.5, 0)
    this.strokes = new InstancedMesh(stroke, ink(), this.links.length)
    this.rings = new InstancedMesh(new RingGeometry(0.62, 1, 20), ink(), tree.rings)
    this.dots = new InstancedMesh(new CircleGeometry(1.15, 20), ink(), tree.rings)
    const colour = (point: number): Color =>
      tree.sides[point] === 'left' ? palette.left : tree.sides[point] === 'right' ? palette.right : palette.ink
    this.links.forEach((link, n) => this.strokes.setColorAt(n, colour(link.to)))
    for (let joint = 0; joint < tree.rings; joint++) {
      this.rings.setColorAt(joint, colour(joint))
      this.dots.setColorAt(joint, palette.accent)
    }
    for (const mesh of [this.strokes, this.rings, this.dots]) {
      mesh.instanceMatrix.setUsage(DynamicDrawUsage)
      mesh.frustumCulled = false
      mesh.renderOrder = overlay ? 5 : 1
      this.object.add(mesh)
    }
    this.dots.renderOrder += 1
  }

  /** World positions of all points, three numbers each. */
  place(values: ArrayLike<number>, offset = 0) {
    for (let n = 0; n < this.positions.length; n++) this.positions[n] = values[offset + n]
  }

  /** Take the pose of a frame; past the end, the last one. */
  pose({ values, frames, points }: Positions, frame: number) {
    this.place(values, Math.max(0, Math.min(frame, frames - 1)) * points * 3)
  }

  /** Fill the rings of some joints; those that just changed are filled large. */
  select(joints: Iterable<number>, large: Iterable<number> = []) {
    this.large = new Set(large)
    this.selected = new Set([...joints, ...this.large])
  }

  /** Lay strokes and rings for this camera: double lines and rings face the viewer. */
  draw(camera: Camera) {
    let second = false
    this.links.forEach((link, n) => {
      a.fromArray(this.positions, link.from * 3)
      b.fromArray(this.positions, link.to * 3)
      // Close to the eye strokes and rings stay fine, so that a hand is seen through them.
      const width = this.size * Math.min(0.0052, camera.position.distanceTo(a) / this.size / 420)
      along.subVectors(b, a)
      const length = along.length()
      if (length < 1e-6) {
        this.strokes.setMatrixAt(n, NOTHING)
        second = link.right && !second
        return
      }
      turn.setFromUnitVectors(UP, along.divideScalar(length))
      let thick = width
      if (link.right) {
        look.subVectors(camera.position, a).normalize()
        aside
          .crossVectors(along, look)
          .normalize()
          .multiplyScalar(width * (second ? 0.95 : -0.95))
        a.add(aside)
        thick *= 0.5
        second = !second
      }
      matrix.compose(a, turn, scale.set(thick, length, thick))
      this.strokes.setMatrixAt(n, matrix)
    })
    this.dots.count = 0
    for (let joint = 0; joint < this.tree.rings; joint++) {
      a.fromArray(this.positions, joint * 3)
      const ring = this.size * Math.min(0.0088, camera.position.distanceTo(a) / this.size / 250)
      matrix.compose(a, camera.quaternion, scale.setScalar(ring))
      this.rings.setMatrixAt(joint, matrix)
      if (this.large.has(joint)) matrix.compose(a, camera.quaternion, scale.setScalar(ring * 1.9))
      if (this.selected.has(joint)) this.dots.setMatrixAt(this.dots.count++, matrix)
    }
    for (const mesh of [this.strokes, this.rings, this.dots]) mesh.instanceMatrix.needsUpdate = true
  }

  dispose() {
    for (const mesh of [this.strokes, this.rings, this.dots]) {
      mesh.geometry.dispose()
      ;(mesh.material as MeshBasicMaterial).dispose()
      mesh.dispose()
    }
    this.object.removeFromParent()
  }
}
