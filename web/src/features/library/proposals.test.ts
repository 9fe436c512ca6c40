import { expect, test } from 'vitest'

import { taken, withProposal, withoutKind, type Proposal } from './proposals'

const proposed = (...kinds: string[]) => kinds.map((kind) => ({ step: { kind }, sentence: kind })) as Proposal[]
const row = (proposals: Proposal[], ...kinds: string[]) =>
  ({ proposals, recipe: { steps: kinds.map((kind) => ({ kind })) } }) as never

test('steps are taken in the order in which they are proposed, whatever the order they are ticked in', () => {
  const all = proposed('spikes', 'smooth', 'ground')
  const kinds = (recipe: { steps?: unknown[] | null }) => recipe.steps?.map((step) => (step as { kind: string }).kind)
  expect(kinds(withProposal(row(all, 'ground'), all[0]))).toEqual(['spikes', 'ground'])
  expect(kinds(withProposal(row(all, 'spikes', 'ground'), all[1]))).toEqual(['spikes', 'smooth', 'ground'])
  expect(kinds(withProposal(row(all, 'spikes'), all[0]))).toEqual(['spikes'])
  expect(kinds(withoutKind(row(all, 'spikes', 'ground'), 'spikes'))).toEqual(['ground'])
})

test('what is taken is told by its kind', () => {
  const all = proposed('smooth', 'loop')
  expect(all.map((proposal) => taken(row(all, 'loop'), proposal))).toEqual([false, true])
  expect(taken({ proposals: null, recipe: {} }, all[0])).toBe(false)
})
