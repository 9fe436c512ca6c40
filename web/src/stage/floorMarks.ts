import { type Color, DoubleSide, Group, Mesh, MeshBasicMaterial, RingGeometry } from 'three'

/** Rings that lie on the floor: places that something turns about. */
export class FloorMarks {
  readonly object = new Group()
  private readonly ring = new RingGeometry(0.075, 0.09, 40).rotateX(-Math.PI / 2)
  private readonly dot = new RingGeometry(0, 0.022, 24).rotateX(-Math.PI / 2)
  private readonly materials: MeshBasicMaterial[] = []

  /** A ring about a place on the floor, filled where it is the chosen one. */
  add(x: number, z: number, colour: Color, chosen = false) {
    const material = new MeshBasicMaterial({ color: colour, side: DoubleSide, toneMapped: false, depthTest: false })
    this.materials.push(material)
    for (const geometry of chosen ? [this.ring, this.dot] : [this.ring]) {
      const mesh = new Mesh(geometry, material)
      mesh.position.set(x, 0.003, z)
      this.object.add(mesh)
    }
  }

  dispose() {
    this.ring.dispose()
    this.dot.dispose()
    for (const material of this.materials) material.dispose()
    this.object.removeFromParent()
  }
}
