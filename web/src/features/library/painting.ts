/** Paints plates a few at a time, so that no frame waits for all those that come into sight at once. */
const SHARE = 5 // milliseconds of a frame
const queue = new Set<() => void>()
let asked = 0

export function paintSoon(paint: () => void) {
  queue.add(paint)
  asked ||= requestAnimationFrame(work)
}
export const paintNoMore = (paint: () => void) => queue.delete(paint)

function work(began: number) {
  asked = 0
  for (const paint of queue) {
    queue.delete(paint)
    paint()
    if (performance.now() - began > SHARE) break
  }
  if (queue.size) asked = requestAnimationFrame(work)
}
