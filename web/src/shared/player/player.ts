import { onBeforeUnmount, ref, watch, type Ref } from 'vue'

/**
 * Playing through frames at their rate, by the clock: frames are skipped rather than time stretched. range: the
 * frames that are played, all where it is not given.
 */
export function usePlayer(frames: Ref<number>, fps: Ref<number>, range?: Readonly<Ref<[number, number]>>) {
  const start = () => range?.value[0] ?? 0
  const stop = () => range?.value[1] ?? Math.max(0, frames.value - 1)
  const frame = ref(0)
  const playing = ref(false)
  const loop = ref(true)
  /** How fast it is played, 1 as it is. */
  const speed = ref(1)
  /** How often it has begun again by itself. */
  const laps = ref(0)
  let request = 0
  let started = 0
  let from = 0

  function tick(now: number) {
    const last = stop()
    // The first beat of the screen may have begun before whoever plays it asked for that.
    let next = from + (Math.max(0, now - started) / 1000) * fps.value * speed.value
    if (next > last) {
      if (!loop.value || last <= start()) {
        frame.value = last
        playing.value = false
        return
      }
      started = now
      from = start()
      next = from
      laps.value += 1
    }
    frame.value = Math.floor(next)
    request = requestAnimationFrame(tick)
  }
  watch(playing, (now) => {
    cancelAnimationFrame(request)
    if (!now) return
    from = frame.value >= stop() || frame.value < start() ? start() : frame.value
    started = performance.now()
    request = requestAnimationFrame(tick)
  })
  function go(to: number) {
    laps.value = 0
    frame.value = Math.max(0, Math.min(frames.value - 1, to))
    from = frame.value
    started = performance.now()
  }
  /** By so many frames, standing still from there on. */
  function step(by: number) {
    playing.value = false
    go(frame.value + by)
  }
  watch([frames, speed], () => go(frame.value))
  onBeforeUnmount(() => cancelAnimationFrame(request))
  return { frame, playing, loop, speed, laps, go, step }
}
