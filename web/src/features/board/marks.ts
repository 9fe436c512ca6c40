import type { State } from '@/stores/board'

/**
 * The shapes of states, in a square of 16. full: filled instead of drawn; inside: drawn on that in the colour of the
 * paper.
 */
export const MARKS: Record<State, { d: string; width?: number; full?: boolean; inside?: string }> = {
  'not yet': { d: 'M6.4 8a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0', full: true },
  waiting: { d: 'M3 8h.1M8 8h.1M13 8h.1', width: 2.6 },
  running: { d: 'M8 2.5a5.5 5.5 0 1 1-5.5 5.5M8 5v3l2 1.6' },
  good: { d: 'M2.8 8.6 6.4 12 13.2 4.2', width: 1.9 },
  look: { d: 'M1.4 8Q8 1.6 14.6 8 8 14.4 1.4 8ZM8 6.1a1.9 1.9 0 1 1-.1 0' },
  wrong: { d: 'M3.6 3.6 12.4 12.4M12.4 3.6 3.6 12.4', width: 1.9 },
  failed: { d: 'M8 1.8 14.6 13.6H1.4ZM8 6.2v3.6M8 11.6v.1' },
  'out of date': { d: 'M13 8A5 5 0 1 1 8 3h3.2M8.6.8 11 3 8.6 5.4' },
  accepted: {
    d: 'M4 1.5h8a2.5 2.5 0 0 1 2.5 2.5v8a2.5 2.5 0 0 1-2.5 2.5h-8a2.5 2.5 0 0 1-2.5-2.5v-8a2.5 2.5 0 0 1 2.5-2.5Z',
    full: true,
    inside: 'M4.4 8.4 7 10.9 11.8 5.4',
  },
}
