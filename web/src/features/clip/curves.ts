import type { Positions } from '@/stage/motion'

/** What a bone does over time, read from the places of all points. */
export type Curve = 'height' | 'speed' | 'bend'
/** What the strip can show: a curve over time, or what a low pass takes off the bone by its cutoff. */
export type Graph = Curve | 'residual' | ''
export const CURVES: Record<Curve, { label: string; unit: string }> = {
  height: { label: 'height', unit: 'cm' },
  speed: { label: 'speed', unit: 'cm/s' },
  bend: { label: 'bend', unit: '°' },
}

/** The curve of a bone, a value per frame. parents: of all points. */
export function curveOf(curve: Curve, positions: Positions, bone: number, parents: number[], fps: number) {
  const { frames, points, values } = positions
  const out = new Float32Array(frames)
  const at = (frame: number, point: number, axis: number) => values[(frame * points + point) * 3 + axis]
  const child = parents.indexOf(bone)
  for (let frame = 0; frame < frames; frame++) {
    if (curve === 'height') out[frame] = at(frame, bone, 1) * 100
    else if (curve === 'speed') {
      const [before, after] = [Math.max(0, frame - 1), Math.min(frames - 1, frame + 1)]
      const way = Math.hypot(...[0, 1, 2].map((axis) => at(after, bone, axis) - at(before, bone, axis)))
      out[frame] = after > before ? ((way * fps) / (after - before)) * 100 : 0
    } else if (child >= 0 && parents[bone] >= 0) {
      const upper = [0, 1, 2].map((axis) => at(frame, bone, axis) - at(frame, parents[bone], axis))
      const lower = [0, 1, 2].map((axis) => at(frame, child, axis) - at(frame, bone, axis))
      const along = upper.reduce((sum, value, axis) => sum + value * lower[axis], 0)
      const cosine = along / Math.max(1e-9, Math.hypot(...upper) * Math.hypot(...lower))
      out[frame] = (Math.acos(Math.max(-1, Math.min(1, cosine))) * 180) / Math.PI
    }
  }
  return out
}

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
