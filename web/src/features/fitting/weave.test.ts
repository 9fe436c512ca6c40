import { expect, test } from 'vitest'

import type { Bones } from '@/stores/cast'
import { counts, groupOf, layOut, shortened, type Fitting, type Pair, type Part } from './weave'

const part = (name: string, limb: string, source: string[], target: string[], required = true) =>
  ({ name, limb, source, target, required, side: /^(left|right)/.exec(name)?.[0] ?? '' }) as unknown as Part
const pair = (name: string, source: string[], target: string[], more: Partial<Pair> = {}) =>
  ({
    key: name,
    part: name,
    source,
    target,
    confidence: 0.9,
    confirmed: false,
    crosses: '',
    ...more,
  }) as unknown as Pair
const tree = (names: string[], parents: number[]) => ({ names, parents }) as unknown as Bones

const source = tree(['Hips', 'Spine', 'Spine1', 'Head', 'LeftArm', 'Prop'], [-1, 0, 1, 2, 2, 0])
const target = tree(['pelvis', 'back', 'skull', 'arm.L'], [-1, 0, 1, 1])
const fitting = {
  parts: [
    part('hips', 'trunk', ['Hips'], ['pelvis']),
    part('spine', 'trunk', ['Spine', 'Spine1'], ['back']),
    part('head', 'neck', ['Head'], ['skull']),
    part('left upper arm', 'left arm', ['LeftArm'], ['arm.L']),
    part('left hand', 'left arm', [], []),
  ],
  pairs: [
    pair('hips', ['Hips'], ['pelvis']),
    pair('spine', ['Spine', 'Spine1'], ['back']),
    pair('left upper arm', ['LeftArm'], ['arm.L'], { crosses: 'it lies on the other side', confidence: 0.5 }),
  ],
  missing: [{ part: 'left hand', side: 'both' }],
  left_out: [],
} as unknown as Fitting

test('right pairs run level, and the bones of a limb of other length are spread beside it', () => {
  const woven = layOut(fitting, source, target, 'Body')
  const at = (id: string) => woven.nodes.find((node) => node.id === id)!.y
  expect(at('source Hips')).toBe(at('target pelvis'))
  expect(at('target back')).toBe((at('source Spine') + at('source Spine1')) / 2)
  expect(woven.threads.filter((thread) => thread.pair.key === 'spine')).toHaveLength(2)
  expect(woven.nodes.some((node) => node.bone === 'Head')).toBe(false)
})

test('a required part without a bone is a gap that says who lacks it', () => {
  const { gaps } = layOut(fitting, source, target, 'Body')
  expect(gaps).toMatchObject([{ part: 'left hand', lacks: 'both', required: true }])
})

test('bones outside the plan are among the extras', () => {
  expect(layOut(fitting, source, target, 'Extras').nodes.map((node) => node.id)).toEqual(['source Prop'])
})

test('what is to be looked at is counted', () => {
  expect(counts(fitting)).toMatchObject({
    paired: 3,
    missing: ['left hand'],
    doubtful: ['left upper arm'],
    crossing: ['left upper arm'],
  })
})

test('limbs are looked at in groups, and names without what all share', () => {
  const fingers = [part('left index proximal', 'left index', [], [])]
  expect([groupOf('left index', fingers), groupOf('neck', []), groupOf('left leg', [])]).toEqual([
    'Left hand',
    'Head',
    'Body',
  ])
  expect(shortened(['rig:Hips', 'rig:Head'])('rig:Hips')).toBe('Hips')
  expect(shortened(['rig:Hips', 'Head'])('rig:Hips')).toBe('rig:Hips')
})
