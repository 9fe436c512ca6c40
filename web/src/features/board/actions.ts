import type { Action } from '@/stores/board'

/** What can be done with cells, in the order of the work. */
export const ACTIONS: { action: Action; word: string }[] = [
  { action: 'transfer', word: 'Transfer' },
  { action: 'update', word: 'Bring up to date' },
  { action: 'review', word: 'Review' },
  { action: 'accept', word: 'Accept' },
  { action: 'deliver', word: 'Deliver' },
  { action: 'retire', word: 'Retire' },
]
