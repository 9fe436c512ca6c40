import {
  BufferAttribute,
  BufferGeometry,
  type Color,
  Group,
  Line,
  LineBasicMaterial,
  Points,
  PointsMaterial,
} from 'three'

import type { Positions } from './motion'

/** The path of a bone through a clip, with a tick in every so many frames: dense where it is slow. */
export class Trace {
  readonly object = new Group()
  private readonly parts: (Line | Points)[] = []

  /** Adds the path of a point of some positions in a colour; ticks are as many pixels wide. */
  add(positions: Positions, point: number, colour: Color, every: number, ticks: number) {
    const { frames, points, values } = positions
    const path = new Float32Array(frames * 3)
    for (let frame = 0; frame < frames; frame++)
      path.set(values.subarray((frame * points + point) * 3, (frame * points + point) * 3 + 3), frame * 3)
    const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(path, 3))
    const line = new Line(geometry, new LineBasicMaterial({ color: colour, toneMapped: false }))
    const at = new Float32Array(Math.ceil(frames / every) * 3)
    for (let n = 0; n * every < frames; n++) at.set(path.subarray(n * every * 3, n * every * 3 + 3), n * 3)
    const marks = new Points(
      new BufferGeometry().setAttribute('position', new BufferAttribute(at, 3)),
      new PointsMaterial({ color: colour, size: ticks, sizeAttenuation: false, toneMapped: false }),
    )
    for (const part of [line, marks]) {
      part.frustumCulled = false
      this.parts.push(part)
      this.object.add(part)
    }
  }

  dispose() {
    for (const part of this.parts) {
      part.geometry.dispose()
      ;(part.material as LineBasicMaterial | PointsMaterial).dispose()
    }
    this.object.removeFromParent()
  }
}
