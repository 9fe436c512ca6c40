import { useLocalStorage } from '@vueuse/core'

/** How time is written beside the number of a frame: in seconds, or as minutes, seconds and frames. */
export type TimeFormat = 'seconds' | 'timecode'
export const useTimeFormat = () => useLocalStorage<TimeFormat>('armuto.time', 'seconds')

const two = (value: number) => String(value).padStart(2, '0')

/** The time of a frame; a rate that is no whole number counts as the next whole one, as counters of frames do. */
export function timeOf(frame: number, fps: number, format: TimeFormat): string {
  if (format !== 'timecode') return `${(frame / fps).toFixed(2)} s`
  const rate = Math.max(1, Math.round(fps))
  const seconds = Math.floor(frame / rate)
  return `${two(Math.floor(seconds / 60))}:${two(seconds % 60)}:${two(frame % rate)}`
}
