import type { Vector3 } from 'three'

import type { Stage } from '@/stage/stage'

/** A body on the stage: its key, which joint carries it, how far it reaches to its sides, and how tall it is. */
export interface Standing {
  key: string
  root: number
  reach: number
  height: number
}

/** Where a body's root is now, without the place it was put to. */
function rootOf(stage: Stage, body: Standing): [number, number, number] {
  const positions = stage.figure(body.key)?.boneLines.positions ?? stage.source(body.key)?.positions
  if (!positions) return [0, 0, 0]
  const { x, z } = stage.figure(body.key) ? stage.placeOf(body.key) : { x: 0, z: 0 }
  return [positions[body.root * 3] - x, positions[body.root * 3 + 1], positions[body.root * 3 + 2] - z]
}

/**
 * Stand bodies in a row on one floor, or over each other; the camera keeps with the middle of them. look: at all of
 * them.
 */
export function arrange(stage: Stage, bodies: Standing[], beside: boolean, look: boolean) {
  const places: number[] = []
  let at = 0
  for (const [n, body] of bodies.entries()) {
    if (n && beside) at += Math.max(body.reach + bodies[n - 1].reach, (body.height + bodies[n - 1].height) * 0.3)
    places.push(at)
  }
  const middle = at / 2
  bodies.forEach((body, n) => stage.moveTo(body.key, beside ? places[n] - middle : 0, 0))
  const where = () => {
    const sum = [0, 0]
    for (const [n, body] of bodies.entries()) {
      const [x, , z] = rootOf(stage, body)
      sum[0] += x + (beside ? places[n] - middle : 0)
      sum[1] += z
    }
    return { x: sum[0] / bodies.length, z: sum[1] / bodies.length }
  }
  const carrier = stage.camera.position.clone()
  stage.setFollowed(() => {
    const { x, z } = where()
    return carrier.set(x, 0, z) as Vector3
  })
  if (!look || !bodies.length) return
  const { x, z } = where()
  const tall = Math.max(...bodies.map((body) => body.height))
  const reach = Math.max(...bodies.map((body) => body.reach))
  const width = (beside ? at : 0) + 2 * Math.max(reach, tall * 0.4) + 0.3
  stage.frameBox(x, z, width, tall * 1.25, 20, 7)
}

/** How far joints come to the side of their root, and how high, in some frames of a motion. */
export function extent(poses: ArrayLike<number>[], root: number): { reach: number; height: number } {
  let [reach, height] = [0.25, 0]
  for (const pose of poses)
    for (let n = 0; n < pose.length; n += 3) {
      reach = Math.max(reach, Math.abs(pose[n] - pose[root * 3]))
      height = Math.max(height, pose[n + 1])
    }
  return { reach, height }
}
