import {
  BoxGeometry,
  BufferGeometry,
  CylinderGeometry,
  DoubleSide,
  EdgesGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  PlaneGeometry,
  SphereGeometry,
  Vector3,
} from 'three'

import type { Palette } from './palette'

/**
 * A part of a prop, as the studio has it: a box, a cylinder along Y, a plane across it, or a mesh of points from −½ to
 * ½ of its size and of faces by their numbers; turn: degrees.
 */
export interface PropShape {
  kind: string
  size: number[]
  at: number[]
  turn: number[]
  points?: number[][]
  faces?: number[][]
}
const WOOD = 0xb08d5f
const HANDLE = 0.014 // metres across the mark of one, halved
const axis = new Vector3()

function geometryOf({ kind, size: [x, y, z], points = [], faces = [] }: PropShape): BufferGeometry {
  if (kind === 'mesh') {
    const geometry = new BufferGeometry()
    const corners = faces.flatMap((face) => face.flatMap((n) => [points[n][0] * x, points[n][1] * y, points[n][2] * z]))
    geometry.setAttribute('position', new Float32BufferAttribute(corners, 3))
    geometry.computeVertexNormals()
    return geometry
  }
  if (kind === 'box') return new BoxGeometry(x, y, z)
  if (kind === 'cylinder') return new CylinderGeometry(x / 2, x / 2, y, 24)
  return new PlaneGeometry(x, z).rotateX(-Math.PI / 2)
}

/** A prop on the stage: its shapes in wood with an ink line along their edges, posed by rows of place and turn. */
export class PropMeshes {
  readonly object = new Group()
  private aside = new Vector3()
  private readonly parts: (Mesh | LineSegments)[] = []

  /** motion: ``(frames, 7)``, positions and quaternions. size: times which shapes, and ways to handles, are larger. */
  constructor(
    shapes: PropShape[],
    handles: number[][],
    private readonly motion: Float32Array,
    size: number,
    palette: Palette,
  ) {
    const wood = new MeshStandardMaterial({ color: WOOD, roughness: 0.9, side: DoubleSide })
    const ink = new LineBasicMaterial({ color: palette.ink, toneMapped: false })
    for (const shape of shapes) {
      const geometry = geometryOf(shape)
      const mesh = new Mesh(geometry, wood)
      const edges = new LineSegments(new EdgesGeometry(geometry, 30), ink)
      mesh.castShadow = true
      for (const part of [mesh, edges]) {
        part.position.fromArray(shape.at)
        const angle = Math.hypot(...shape.turn)
        if (angle) part.quaternion.setFromAxisAngle(axis.fromArray(shape.turn).normalize(), (angle * Math.PI) / 180)
        this.parts.push(part)
        this.object.add(part)
      }
    }
    for (const at of handles) {
      const mark = new Mesh(
        new SphereGeometry(HANDLE / size, 12, 8),
        new MeshBasicMaterial({ color: palette.accent, toneMapped: false }),
      )
      mark.position.fromArray(at)
      this.parts.push(mark)
      this.object.add(mark)
    }
    this.object.scale.setScalar(size)
    this.pose(0)
  }

  /** Stand so far aside from where the motion has it. */
  moveTo(x: number, z: number) {
    this.object.position.sub(this.aside)
    this.aside.set(x, 0, z)
    this.object.position.add(this.aside)
    this.object.updateMatrixWorld(true)
  }

  pose(frame: number) {
    const at = Math.max(0, Math.min(this.motion.length / 7 - 1, Math.round(frame))) * 7
    this.object.position.fromArray(this.motion, at).add(this.aside)
    this.object.quaternion.fromArray(this.motion, at + 3)
    this.object.updateMatrixWorld(true)
  }

  dispose() {
    for (const part of this.parts) {
      part.geometry.dispose()
      ;(part.material as MeshStandardMaterial | LineBasicMaterial).dispose()
    }
    this.object.removeFromParent()
  }
}
