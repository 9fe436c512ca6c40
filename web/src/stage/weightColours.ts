import {
  BufferAttribute,
  Color,
  type Material,
  MeshStandardMaterial,
  SkinnedMesh,
  Vector3,
  type Ray,
  Raycaster,
} from 'three'

import type { Figure } from './figure'
import type { Palette } from './palette'

const at = new Vector3()
const mixed = new Color()

/** How much each point of a figure follows a bone, as colour: paper where it does not, the accent where it does. */
export class WeightColours {
  private readonly skins: { mesh: SkinnedMesh; own: Material | Material[]; joints: Int32Array; rest: Float32Array }[] =
    []
  private readonly painted = new MeshStandardMaterial({ vertexColors: true, roughness: 0.9, metalness: 0 })
  private readonly rays = new Raycaster()

  /** The figure is at rest. */
  constructor(
    figure: Figure,
    private readonly palette: Palette,
  ) {
    for (const mesh of figure.meshes) {
      if (!(mesh instanceof SkinnedMesh)) continue
      const joints = Int32Array.from(mesh.skeleton.bones, (bone) => figure.joints.indexOf(bone))
      const points = mesh.geometry.getAttribute('position').count
      const rest = new Float32Array(points * 3)
      for (let point = 0; point < points; point++)
        mesh
          .getVertexPosition(point, at)
          .applyMatrix4(mesh.matrixWorld)
          .toArray(rest, point * 3)
      this.skins.push({ mesh, own: mesh.material, joints, rest })
    }
  }

  /** Colour by a joint, or as the figure is painted. */
  show(joint: number | null) {
    const paper = this.palette.paper.clone().lerp(this.palette.ink, 0.12)
    for (const { mesh, own, joints } of this.skins) {
      mesh.material = joint === null ? own : this.painted
      if (joint === null) continue
      const indices = mesh.geometry.getAttribute('skinIndex')
      const weights = mesh.geometry.getAttribute('skinWeight')
      const colours = new Float32Array(indices.count * 3)
      for (let point = 0; point < indices.count; point++) {
        let share = 0
        for (let n = 0; n < 4; n++)
          if (joints[indices.getComponent(point, n)] === joint) share += weights.getComponent(point, n)
        mixed
          .copy(paper)
          .lerp(this.palette.accent, share)
          .toArray(colours, point * 3)
      }
      mesh.geometry.setAttribute('color', new BufferAttribute(colours, 3))
    }
  }

  /** The point of the surface on a line of sight, where it lies at rest, or null. */
  pointOn(ray: Ray): Vector3 | null {
    this.rays.ray.copy(ray)
    for (const { mesh } of this.skins) mesh.computeBoundingSphere()
    const [hit] = this.rays.intersectObjects(
      this.skins.map(({ mesh }) => mesh),
      false,
    )
    const skin = this.skins.find(({ mesh }) => mesh === hit?.object)
    if (!skin || !hit.face) return null
    const corners = [hit.face.a, hit.face.b, hit.face.c]
    const shares = hit.barycoord?.toArray() ?? [1 / 3, 1 / 3, 1 / 3]
    const out = new Vector3()
    corners.forEach((corner, n) => out.addScaledVector(at.fromArray(skin.rest, corner * 3), shares[n]))
    return out
  }

  dispose() {
    for (const { mesh, own } of this.skins) mesh.material = own
    this.painted.dispose()
  }
}
