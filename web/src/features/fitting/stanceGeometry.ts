import { Plane, Quaternion, Vector3, type Ray } from 'three'

import type { Stage } from '@/stage/stage'

export type Axes = 'own' | 'parent' | 'world'
/**
 * A bone on the stage: where its joint is, the direction it points in, and the one it bends to, zero where none is
 * known.
 */
export interface BonePose {
  position: Vector3
  direction: Vector3
  bend: Vector3
}
export interface NamedAxis {
  name: string
  axis: Vector3
}

const UP = new Vector3(0, 1, 0)
const ARC_STEP = 0.12
const RING_POINTS = 48
/**
 * Sine of the least angle between a line of sight and a ring's plane: seen flatter than that, where they meet says
 * little.
 */
const FLAT = 0.12

/** The direction on the ground that is so many degrees from forward (+Z), towards +X. */
export const onGround = (degrees: number) => new Vector3(0, 0, 1).applyAxisAngle(UP, (degrees * Math.PI) / 180)

/** A direction square to an axis. */
const perpendicularTo = (axis: Vector3) =>
  new Vector3().crossVectors(Math.abs(axis.y) < 0.9 ? UP : new Vector3(1, 0, 0), axis).normalize()

/** Points of the arc about a centre from one direction to another, both of length one; none where they are the same. */
export function arc(centre: Vector3, from: Vector3, to: Vector3, radius: number): Vector3[] {
  const angle = from.angleTo(to)
  if (angle < 1e-4) return []
  const whole = new Quaternion().setFromUnitVectors(from, to)
  const steps = Math.max(2, Math.ceil(angle / ARC_STEP))
  return Array.from({ length: steps + 1 }, (_, n) => {
    const turn = new Quaternion().slerp(whole, n / steps)
    return from.clone().applyQuaternion(turn).multiplyScalar(radius).add(centre)
  })
}

/** Points of the ring about a centre, square to an axis of length one. */
export function ring(centre: Vector3, axis: Vector3, radius: number): Vector3[] {
  const first = perpendicularTo(axis).multiplyScalar(radius)
  return Array.from({ length: RING_POINTS + 1 }, (_, n) =>
    first
      .clone()
      .applyAxisAngle(axis, (n / RING_POINTS) * 2 * Math.PI)
      .add(centre),
  )
}

/**
 * The angle about an axis at which a line of sight meets the ring's plane, radians; null where it runs along the
 * plane.
 */
export function angleAt(centre: Vector3, axis: Vector3, sight: Ray): number | null {
  if (Math.abs(axis.dot(sight.direction)) < FLAT) return null
  const met = sight.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(axis, centre), new Vector3())
  if (!met) return null
  const off = met.sub(centre)
  const first = perpendicularTo(axis)
  return Math.atan2(off.dot(new Vector3().crossVectors(axis, first)), off.dot(first))
}

/** The axes that a bone is turned about, each with its name. forward: of the whole body. */
export function axesOf(
  kind: Axes,
  { direction, bend }: Pick<BonePose, 'direction' | 'bend'>,
  forward: Vector3,
): NamedAxis[] {
  if (kind === 'world')
    return [
      { name: 'up', axis: UP },
      { name: 'forward', axis: forward },
      { name: 'across', axis: new Vector3().crossVectors(UP, forward) },
    ]
  const along = direction.clone().normalize()
  // Without a bend that shows, bend is taken to go forward.
  const square = [bend, forward, UP].map((vector) => vector.clone().projectOnPlane(along))
  const aside = (square.find((vector) => vector.length() > 0.2) ?? perpendicularTo(along)).normalize()
  return [
    { name: 'along', axis: along },
    { name: 'bend', axis: new Vector3().crossVectors(along, aside).normalize() },
    { name: 'aside', axis: aside },
  ]
}

/** Where a joint of a body on the stage is in the world; the origin where there is no such body. */
export function jointPosition(stage: Stage, key: string, joint: number): Vector3 {
  const figure = stage.figure(key)
  const boneLines = figure?.boneLines ?? stage.source(key)
  if (!boneLines) return new Vector3()
  const position = new Vector3().fromArray(boneLines.positions, joint * 3)
  // A figure's positions are in the world; those of a skeleton alone are where it was before it was moved aside.
  const { x, z } = figure ? { x: 0, z: 0 } : stage.placeOf(key)
  return position.add(new Vector3(x, 0, z))
}
