import { Quaternion } from 'three'

import type { LiveFrame } from './liveMessages'

const KEPT = 90 // frames
const MOST = 0.09 // seconds that a frame is held back at most, so that the next one is there in time
const FALLS = 0.02 // share of the way to a shorter delay that is made with each frame
const BESIDE = 1.25 // frames: how much later than they usually come frames are shown

/**
 * Frames of a character on their way to the screen. They are shown a little later than they come, so that one that is
 * late or lost is bridged by its neighbours; no later than that takes.
 */
export class PoseBuffer {
  private readonly frames: LiveFrame[] = []
  private readonly out: Float32Array
  /** Seconds after its capture at which a frame is shown. */
  private hold = 0

  constructor(
    private readonly joints: number,
    private readonly step: number,
  ) {
    this.out = new Float32Array(joints * 7)
  }

  /** now: seconds since 1970, by the clock that frames were captured by. */
  push(frame: LiveFrame, now: number) {
    if (frame.values.length !== this.joints * 7) return
    const newest = this.frames.at(-1)
    // A stage that begins anew, or whose clock was set.
    if (newest && frame.captured <= newest.captured) this.frames.length = 0
    this.frames.push(frame)
    if (this.frames.length > KEPT) this.frames.shift()
    const wanted = Math.min(now - frame.captured + BESIDE * this.step, Math.max(MOST, now - frame.captured))
    this.hold = wanted > this.hold ? wanted : this.hold + (wanted - this.hold) * FALLS
  }

  /**
   * The pose to be shown now, and how many seconds ago it was captured; null before there is one. seldom: pictures are
   * drawn so seldom that nothing between frames would be seen; then the newest is shown.
   */
  at(now: number, seldom = false): { values: Float32Array; age: number } | null {
    const { frames } = this
    if (!frames.length) return null
    const when = seldom ? Infinity : now - this.hold
    let after = frames.findIndex((frame) => frame.captured > when)
    if (after < 0) after = frames.length
    const [before, next] = [frames[after - 1], frames[after]]
    const shown = before ?? next
    if (!before || !next) return { values: shown.values, age: now - shown.captured }
    const share = (when - before.captured) / (next.captured - before.captured)
    return { values: this.between(before.values, next.values, share), age: this.hold }
  }

  private between(before: Float32Array, after: Float32Array, share: number) {
    const { joints, out } = this
    for (let n = 0; n < joints * 4; n += 4)
      Quaternion.slerpFlat(out as never, n, before as never, n, after as never, n, share)
    for (let n = joints * 4; n < joints * 7; n++) out[n] = before[n] + (after[n] - before[n]) * share
    return out
  }
}
