import type { Schemas } from '@/api/client'
import type { IntakeRow } from '@/stores/intake'

/** A step that a clip could be refined by, and why. */
export interface Proposal {
  step: Record<string, unknown> & { kind?: unknown }
  sentence: string
}
export type Recipe = NonNullable<Schemas['RowsChange']['recipe']>
type Row = Pick<IntakeRow, 'recipe' | 'proposals'>

const stepsOf = (row: Row) => (row.recipe.steps ?? []) as Proposal['step'][]

/** Whether a clip is to be refined by a step of this kind. */
export const taken = (row: Row, proposal: Proposal) => stepsOf(row).some((step) => step.kind === proposal.step.kind)

/** A clip's recipe with what is proposed, in the order in which steps are proposed: each is meant for what those before
 * it leave. */
export function withProposal(row: Row, proposal: Proposal): Recipe {
  const order = (row.proposals ?? []).map((other) => (other as Proposal).step.kind)
  const steps = [...stepsOf(row).filter((step) => step.kind !== proposal.step.kind), proposal.step]
  steps.sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind))
  return { steps } as Recipe
}

/** A clip's recipe without the steps of a kind. */
export function withoutKind(row: Row, kind: unknown): Recipe {
  return { steps: stepsOf(row).filter((step) => step.kind !== kind) } as Recipe
}
