import { describe, expect, it } from 'vitest'

import {
  axisNames,
  boneLabel,
  bracketOf,
  byLimb,
  keyAt,
  neighbourKey,
  weightAt,
  weightText,
  type Layer,
  type TouchUp,
} from './touchups'

const key = (frame: number | null, time = frame ?? 0) => ({
  frame,
  time,
  value: [0, 0, 0],
  turn: [0, 0, 0],
  to_next: 'smooth' as const,
  moved: null,
  limb_then: [],
})
const touchup = (frames: (number | null)[], first = 0, last = 99): TouchUp => ({
  channel: 'rotation',
  part: 'head',
  bone: 'skull',
  label: 'head',
  limb: 'spine',
  against: '',
  ease_in: 0.25,
  ease_out: 0.25,
  first,
  last,
  keys: frames.map((frame) => key(frame)),
})
const layer = (...touchups: TouchUp[]): Layer => ({
  name: 'Mended',
  on: true,
  weight: 1,
  limbs: [],
  hold: true,
  touchups,
})

describe('touch-ups', () => {
  it('has a bracket from its first key in view to its last, and none where the clip shows none', () => {
    expect(bracketOf(touchup([null, 20, 40], 12, 48))).toEqual({ first: 12, rise: 20, fall: 40, last: 48 })
    expect(bracketOf(touchup([null]))).toBeNull()
  })
  it('finds the key before and after a frame on any touch-up', () => {
    const row = layer(touchup([10, 50]), touchup([null, 30]))
    expect(neighbourKey(row, 10, 1)).toEqual({ path: [1, 1], frame: 30 })
    expect(neighbourKey(row, 30, 1)).toEqual({ path: [0, 1], frame: 50 })
    expect(neighbourKey(row, 50, 1)).toBeNull()
    expect(neighbourKey(row, 45, -1)).toEqual({ path: [1, 1], frame: 30 })
    expect(neighbourKey(row, 10, -1)).toBeNull()
  })
  it('knows a key that was removed meanwhile', () => {
    const row = layer(touchup([10]))
    expect(keyAt(row, [0, 0])?.frame).toBe(10)
    expect(keyAt(row, [0, 1])).toBeUndefined()
    expect(keyAt(row, [3, 0])).toBeUndefined()
    expect(keyAt(undefined, [0, 0])).toBeUndefined()
  })
  it('says weights, axes and bones as people do', () => {
    expect(weightText(0.5)).toBe('50 %')
    const keyed = [
      { frame: 10, value: 0 },
      { frame: 40, value: 1 },
      { frame: null, value: 2 },
    ]
    expect(weightText(keyed)).toBe('0 % at 10, 100 % at 40, 200 % at no frame')
    expect([weightAt(0.5, 3), weightAt(keyed, 20), weightAt(keyed, 30)]).toEqual([0.5, 0, 1])
    expect(axisNames({ channel: 'rotation' })).toEqual(['x', 'y', 'z'])
    expect(axisNames({ channel: 'place' })).toEqual(['left', 'up', 'ahead'])
    const bone = { bone: 'L_03', part: 'spine', number: 1, limb: 'spine', moves: null }
    expect(boneLabel(bone)).toBe('spine 2')
    expect(boneLabel({ ...bone, part: '' })).toBe('L_03')
  })
  it('lists bones by limb, those without a part last', () => {
    const bones = [
      { bone: 'a', part: '', number: 0, limb: 'spine', moves: null },
      { bone: 'b', part: 'head', number: 0, limb: 'spine', moves: null },
      { bone: 'c', part: 'left hand', number: 0, limb: 'left arm', moves: 'place' as const },
    ]
    expect(byLimb(bones).map((row) => [row.limb, row.bones.map((bone) => bone.bone)])).toEqual([
      ['spine', ['b']],
      ['left arm', ['c']],
      ['without a part', ['a']],
    ])
  })
})
