import type { Vector3 } from 'three'

/** Move a camera and what it looks at along with a point that went over the ground, whatever it did in height. */
export function keepUp(camera: Vector3, target: Vector3, before: Vector3, now: Vector3) {
  const by = now.clone().sub(before).setY(0)
  camera.add(by)
  target.add(by)
}
