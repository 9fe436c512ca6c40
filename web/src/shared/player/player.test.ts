import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'

import { usePlayer } from './player'

let draw: (now: number) => void = () => undefined
let now = 0
beforeEach(() => {
  now = 0
  vi.spyOn(performance, 'now').mockImplementation(() => now)
  vi.stubGlobal('requestAnimationFrame', (work: (now: number) => void) => ((draw = work), 1))
  vi.stubGlobal('cancelAnimationFrame', () => (draw = () => undefined))
})
afterEach(() => vi.unstubAllGlobals())

function player(frames = 100, range?: [number, number]) {
  vi.spyOn(console, 'warn').mockImplementation(() => undefined) // there is no component to be unmounted
  return effectScope().run(() => usePlayer(ref(frames), ref(30), range && ref(range)))!
}
function at(seconds: number) {
  now = seconds * 1000
  draw(now)
}

test('frames go by the clock and not by how often they are drawn', async () => {
  const { frame, playing } = player()
  playing.value = true
  await nextTick()
  at(0.5)
  expect(frame.value).toBe(15)
  at(2)
  expect(frame.value).toBe(60)
})

test('it begins with the frame it stands at, also in a beat that began before it was asked to', async () => {
  const { frame, playing, go } = player(100, [20, 50])
  now = 1000
  go(20)
  playing.value = true
  await nextTick()
  draw(990)
  expect(frame.value).toBe(20)
})

test('at another speed it goes on from where it is', async () => {
  const { frame, playing, speed } = player()
  playing.value = true
  await nextTick()
  at(1)
  expect(frame.value).toBe(30)
  speed.value = 0.5
  await nextTick()
  at(2)
  expect([frame.value, playing.value]).toEqual([45, true])
})

test('a range is played again from its start, or stopped at its end', async () => {
  const { frame, playing, loop, go } = player(100, [20, 50])
  go(40)
  playing.value = true
  await nextTick()
  at(0.2)
  expect(frame.value).toBe(46)
  at(0.5)
  expect(frame.value).toBe(20)
  loop.value = false
  at(3)
  expect([frame.value, playing.value]).toEqual([50, false])
})

test('what is gone to lies within the clip', () => {
  const { frame, go } = player(10)
  go(-4)
  expect(frame.value).toBe(0)
  go(99)
  expect(frame.value).toBe(9)
})
