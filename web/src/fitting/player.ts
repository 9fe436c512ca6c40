import { onBeforeUnmount, ref, watch, type Ref } from 'vue'

/** Playing through frames at their rate, by the clock: frames are skipped rather than time stretched. */
export function usePlayer(frames: Ref<number>, fps: Ref<number>) {
  const frame = ref(0)
  const playing = ref(false)
  const loop = ref(true)
  let request = 0
  let started = 0
  let from = 0

  function tick(now: number) {
    const last = Math.max(0, frames.value - 1)
    let next = from + ((now - started) / 1000) * fps.value
    if (next > last) {
      if (!loop.value || last === 0) {
        frame.value = last
        playing.value = false
        return
      }
      started = now
      from = 0
      next = 0
    }
    frame.value = Math.floor(next)
    request = requestAnimationFrame(tick)
  }
  watch(playing, (now) => {
    cancelAnimationFrame(request)
    if (!now) return
    from = frame.value >= frames.value - 1 ? 0 : frame.value
    started = performance.now()
    request = requestAnimationFrame(tick)
  })
  function go(to: number) {
    frame.value = Math.max(0, Math.min(frames.value - 1, to))
    from = frame.value
    started = performance.now()
  }
  watch(frames, () => go(frame.value))
  onBeforeUnmount(() => cancelAnimationFrame(request))
  return { frame, playing, loop, go }
}
