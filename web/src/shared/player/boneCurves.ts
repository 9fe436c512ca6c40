import type { Positions } from '@/stage/motion'

/** What a bone does over time, read from the places of all points. */
export type Curve = 'height' | 'speed' | 'bend'
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
