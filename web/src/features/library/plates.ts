import type { Plate } from '@/stores/library'

/** Millimetres of the plate's own space that are left free at either side. */
export const MARGIN = 70

/** What of a plate's space is shown: all of it, or one pose. */
export function boxOf(plate: Plate, only?: number) {
  const xs = only === undefined ? [0, plate.width] : plate.poses[only].filter((_, n) => n % 2 === 0)
  const left = Math.min(...xs)
  const width = Math.max(...xs) - left
  return { left: left - MARGIN, top: -40, width: width + 2 * MARGIN, height: plate.height + 95 }
}
/** Later poses are inked darker, as the plate of a moving body comes out. */
export const share = (pose: number, count: number) => (count < 2 ? 1 : 0.4 + 0.6 * (pose / (count - 1)))
