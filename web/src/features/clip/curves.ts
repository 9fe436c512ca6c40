import type { Curve } from '@/shared/player/boneCurves'
import type { Positions } from '@/stage/motion'

/** What the strip can show: a curve over time, or what a low pass takes off the bone by its cutoff. */
export type Graph = Curve | 'residual' | ''

/** Places at frames between those there are, one after another: of a take, as a refined clip shows it. */
export function sampled(positions: Positions, frames: Float32Array): Positions {
  const size = positions.points * 3
  const values = new Float32Array(frames.length * size)
  frames.forEach((frame, n) => {
    const before = Math.max(0, Math.min(positions.frames - 1, Math.floor(frame)))
    const after = Math.min(positions.frames - 1, before + 1)
    const share = Math.max(0, Math.min(1, frame - before))
    for (let k = 0; k < size; k++)
      values[n * size + k] =
        positions.values[before * size + k] * (1 - share) + positions.values[after * size + k] * share
  })
  return { frames: frames.length, points: positions.points, values }
}

/**
 * How a body stands in a motion's last frame against its first: by how much it is turned about up, and where the origin
 * has gone with it.
 */
export interface Carried {
  turn: number
  x: number
  z: number
}

/** The turn about up and the way that bring the first pose nearest to the last, by least squares over all points. */
export function carriedBy({ frames, points, values }: Positions): Carried {
  const last = (frames - 1) * points * 3
  const mean = (from: number, axis: number) => {
    let sum = 0
    for (let point = 0; point < points; point++) sum += values[from + point * 3 + axis]
    return sum / points
  }
  const [ax, az, bx, bz] = [mean(0, 0), mean(0, 2), mean(last, 0), mean(last, 2)]
  let [along, across] = [0, 0]
  for (let n = 0; n < points * 3; n += 3) {
    const [x, z] = [values[n] - ax, values[n + 2] - az]
    const [u, w] = [values[last + n] - bx, values[last + n + 2] - bz]
    along += x * u + z * w
    across += z * u - x * w
  }
  const turn = Math.atan2(across, along)
  return { turn, ...moved({ turn, x: bx, z: bz }, -ax, -az) }
}
/** Where a place on the ground has gone. */
const moved = ({ turn, x, z }: Carried, px: number, pz: number) => ({
  x: x + Math.cos(turn) * px + Math.sin(turn) * pz,
  z: z - Math.sin(turn) * px + Math.cos(turn) * pz,
})
/** The same over and over. */
export function carriedOn(by: Carried, times: number): Carried {
  let on: Carried = { turn: 0, x: 0, z: 0 }
  for (let n = 0; n < times; n++) on = { turn: on.turn + by.turn, ...moved(on, by.x, by.z) }
  return on
}

/** The first frame of a refined clip that shows a frame of the take, or comes nearest to it. */
export function shownAt(takeFrames: Float32Array, frame: number): number {
  let best = 0
  for (let n = 1; n < takeFrames.length; n++)
    if (Math.abs(takeFrames[n] - frame) < Math.abs(takeFrames[best] - frame)) best = n
  return best
}
