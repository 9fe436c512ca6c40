import type { Plate } from '@/stores/library'

/** One pose of a plate as it is drawn: paths by side, fingers, and the head. y runs downwards. */
export interface Inked {
  left: string
  right: string
  middle: string
  fine: string
  frame: number
  head: { x: number; y: number; r: number } | null
}

const done = new WeakMap<Plate, Inked[]>()

/** The poses of a plate as paths, worked out once per plate. */
export function inked(plate: Plate): Inked[] {
  const before = done.get(plate)
  if (before) return before
  const top = plate.height
  const out = plate.poses.map((values, number) => {
    const path = { left: '', right: '', middle: '', fine: '' }
    plate.sides.forEach((side, n) => {
      const at = n * 4
      const key = plate.fine[n] ? 'fine' : ((side || 'middle') as 'left' | 'right' | 'middle')
      path[key] += `M${values[at]} ${top - values[at + 1]}L${values[at + 2]} ${top - values[at + 3]}`
    })
    const h = plate.heads[number] ?? []
    return { ...path, frame: plate.frames[number], head: h.length ? { x: h[0], y: top - h[1], r: h[2] } : null }
  })
  done.set(plate, out)
  return out
}
