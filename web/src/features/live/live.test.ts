import { expect, test } from 'vitest'

import { readFrame, rolesFrom, rolesTo } from './liveMessages'
import { PoseBuffer } from './PoseBuffer'

const STEP = 1 / 60
/** One joint, turned about up by an angle, at a place. */
const frame = (captured: number, place: number, angle = 0) => ({
  captured,
  values: Float32Array.from([0, Math.sin(angle / 2), 0, Math.cos(angle / 2), place, 0, 0]),
})

test('a frame is read as it is sent', () => {
  const data = new ArrayBuffer(16 + 28)
  const view = new DataView(data)
  view.setUint32(0, 5, true)
  view.setUint32(4, 77, true)
  view.setFloat64(8, 1e9 + 0.25, true)
  view.setFloat32(16 + 24, 1.5, true)
  const read = readFrame(data)
  expect([read.character, read.captured, read.values.length, read.values[6]]).toEqual([5, 1e9 + 0.25, 7, 1.5])
})
test('roles go into an address and back', () => {
  expect(rolesFrom('5.0,3.1')).toEqual([
    { character: 5, performer: 0 },
    { character: 3, performer: 1 },
  ])
  expect(rolesTo(rolesFrom('5.0,3.1'))).toBe('5.0,3.1')
  expect(rolesFrom('')).toEqual([])
  expect(rolesFrom('x.y,-3.0,4.')).toEqual([{ character: 4, performer: 0 }])
})
test('frames are shown evenly although they come unevenly, and one that is lost is bridged', () => {
  const buffer = new PoseBuffer(1, STEP)
  expect(buffer.at(0)).toBeNull()
  // Each frame is as far as it is old; every tenth is lost, and each comes 5 to 25 ms after it was captured.
  const coming = Array.from({ length: 240 }, (_, n) => ({ n, at: n * STEP + 0.005 + ((n * 7) % 5) * 0.005 })).filter(
    ({ n }) => n % 10 !== 3,
  )
  const shown: number[] = []
  for (let now = 0; now < 3.9; now += 1 / 144) {
    while (coming.length && coming[0].at <= now)
      buffer.push(frame(coming[0].n * STEP, coming[0].n * STEP, 0.3), coming.shift()!.at)
    const pose = buffer.at(now)
    if (now > 1 && pose) {
      expect(pose.age).toBeLessThan(0.1)
      expect(now - pose.values[4]).toBeCloseTo(pose.age, 2)
      expect(Math.hypot(...pose.values.slice(0, 4))).toBeCloseTo(1, 5)
      shown.push(pose.values[4])
    }
  }
  const steps = shown.slice(1).map((place, n) => place - shown[n])
  expect(Math.min(...steps)).toBeGreaterThan(0)
  expect(Math.max(...steps)).toBeLessThan(2.2 / 144)
})
test('what comes no more stays as it was, and its age grows', () => {
  const buffer = new PoseBuffer(1, STEP)
  buffer.push(frame(1, 4), 1.01)
  buffer.push(frame(1 + STEP, 5), 1.01 + STEP)
  expect(buffer.at(3)).toMatchObject({ age: 3 - 1 - STEP })
  expect(buffer.at(3)!.values[4]).toBe(5)
})
test('where pictures are seldom the newest frame is shown, and one of another skeleton never', () => {
  const buffer = new PoseBuffer(1, STEP)
  buffer.push(frame(1, 4), 1.05)
  buffer.push(frame(1 + STEP, 5), 1.05 + STEP)
  expect(buffer.at(1.05 + STEP, true)!.values[4]).toBe(5)
  expect(buffer.at(1.05 + STEP)!.values[4]).toBeLessThan(5)
  buffer.push({ captured: 2, values: new Float32Array(14) }, 2)
  expect(buffer.at(2, true)!.values[4]).toBe(5)
})
test('a stage that begins anew, or whose clock was set back, is followed', () => {
  const buffer = new PoseBuffer(1, STEP)
  buffer.push(frame(100, 4), 100.01)
  buffer.push(frame(50, 7), 50.01)
  expect(buffer.at(50.2)!.values[4]).toBe(7)
})
