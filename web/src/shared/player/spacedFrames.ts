/** Frames from the first to the last at regular distances, at most so many. */
export function spacedFrames(frames: number, most: number): number[] {
  const count = Math.min(frames, most)
  return Array.from({ length: count }, (_, n) => Math.round((n * (frames - 1)) / Math.max(1, count - 1)))
}
