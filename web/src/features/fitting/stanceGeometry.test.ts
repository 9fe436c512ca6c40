import { Ray, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import { angleAt, arc, axesOf, onGround, ring } from './stanceGeometry'

const [X, Y, Z] = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)]
const near = (a: Vector3, b: Vector3) => expect(a.distanceTo(b), `${a.toArray()} and ${b.toArray()}`).toBeLessThan(1e-6)

describe('arcs and rings', () => {
  it('go from one direction to the other at their distance from the centre', () => {
    const centre = new Vector3(3, 1, -2)
    const points = arc(centre, X, Y, 0.5)
    near(points[0], new Vector3(3.5, 1, -2))
    near(points.at(-1)!, new Vector3(3, 1.5, -2))
    for (const point of points) expect(point.distanceTo(centre)).toBeCloseTo(0.5, 6)
    expect(arc(centre, X, X.clone(), 0.5)).toEqual([])
  })
  it('find a way between opposite directions', () => {
    const points = arc(new Vector3(), X, X.clone().negate(), 1)
    for (const point of points) expect(point.length()).toBeCloseTo(1, 6)
    near(points.at(-1)!, new Vector3(-1, 0, 0))
  })
  it.each([[X], [Y], [Z], [new Vector3(1, 1, 1).normalize()]])('lie square to their axis and close', (axis) => {
    const points = ring(new Vector3(0, 2, 0), axis, 0.3)
    for (const point of points)
      expect(
        point
          .clone()
          .sub(new Vector3(0, 2, 0))
          .dot(axis),
      ).toBeCloseTo(0, 6)
    near(points[0], points.at(-1)!)
  })
})

describe('the angle at which a ring is taken hold of', () => {
  it.each([[X], [Y], [new Vector3(1, -2, 0.5).normalize()]])('grows with a turn about the axis', (axis) => {
    const centre = new Vector3(1, 2, 3)
    const seenFrom = axis.clone().multiplyScalar(5).add(centre)
    const angles = ring(centre, axis, 0.4)
      .slice(0, 4)
      .map((point) => {
        return angleAt(centre, axis, new Ray(seenFrom, point.clone().sub(seenFrom).normalize()))!
      })
    for (const [n, angle] of angles.entries()) expect(angle).toBeCloseTo((n / 48) * 2 * Math.PI, 6)
  })
  it('is not known where one looks along the ring', () => {
    expect(angleAt(new Vector3(), Y, new Ray(new Vector3(0, 0, 5), new Vector3(0, 0, -1)))).toBeNull()
  })
})

describe('the axes of a bone', () => {
  it('are square to each other, right-handed, and bend where the bone bends to', () => {
    const [along, bend, aside] = axesOf('own', { direction: new Vector3(0, -2, 0), bend: new Vector3(0, 0.3, 1) }, X)
    near(along.axis, new Vector3(0, -1, 0))
    near(aside.axis, Z)
    near(bend.axis, new Vector3().crossVectors(along.axis, aside.axis))
  })
  it('go forward where no bend shows, and up where a bone points forward', () => {
    const still = new Vector3()
    near(axesOf('own', { direction: Y, bend: still }, Z)[2].axis, Z)
    near(axesOf('parent', { direction: Z, bend: still }, Z)[2].axis, Y)
  })
  it('of the world turn with the way the body faces', () => {
    near(onGround(90), X)
    near(axesOf('world', { direction: Y, bend: Y }, onGround(90))[2].axis, new Vector3(0, 0, -1))
  })
})
