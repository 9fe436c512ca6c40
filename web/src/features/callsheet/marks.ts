import type { WantedState } from '@/stores/callSheet'

/** The shapes of what is still to do, in a square of 16: an empty place, one with a choice in it, half of it, all. */
export const WANTED_MARKS: Record<WantedState, { d: string; dashed?: boolean; inside?: string; full?: boolean }> = {
  missing: { d: 'M2.5 2.5h11v11h-11Z', dashed: true },
  'to choose': { d: 'M2.5 2.5h11v11h-11Z', inside: 'M5.6 8h4.8M8 5.6v4.8' },
  'in work': { d: 'M2.5 2.5h11v11h-11Z', inside: 'M2.5 13.5V8h11v5.5Z' },
  done: { d: 'M2 2h12v12h-12Z', full: true, inside: 'M4.6 8.3 7 10.8 11.6 5.4' },
}
