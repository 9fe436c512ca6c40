import { useLocalStorage } from '@vueuse/core'

/** A note on the way of the first minutes: in which view, at which of its parts, and which view comes after it. */
export interface FirstStep {
  name: string
  /** What the address begins with, and what it does not. */
  path: RegExp
  /** The first of these that is there is pointed at. */
  at: string
  text: string
  next?: { label: string; to: string }
}

export const FIRST_STEPS: FirstStep[] = [
  {
    name: 'library',
    path: /^\/library$/,
    at: '.clip .v-btn',
    text: 'Each clip is a strip of inked poses; point at one and it moves. “See it on …” has a figure perform it.',
  },
  {
    name: 'pair',
    path: /^\/fittings\/\d+/,
    at: '#leaf-pair',
    text: 'Pair says which bone follows which, Stance makes both shapes alike, Transfer and Touch up do the rest. Any change is seen on the figure at once.',
  },
  {
    name: 'transfer',
    path: /^\/fittings\/\d+/,
    at: '.rendition .v-btn',
    text: 'When it looks right, transfer it: the result is kept, measured and graded.',
    next: { label: 'On to the board', to: '/board' },
  },
  {
    name: 'board',
    path: /^\/board/,
    at: '[role=gridcell], .empty .v-btn',
    text: 'Every clip on every figure, a cell for each result. Draw over cells, then transfer, review or deliver them all.',
    next: { label: 'On to the review', to: '/review' },
  },
  {
    name: 'review',
    path: /^\/review/,
    at: '.workspace .bar .doing, .empty .v-btn',
    text: 'The worst findings come first. A accepts, S sends back with a note, N goes on to the next.',
    next: { label: 'On to the delivery', to: '/delivery' },
  },
  {
    name: 'delivery',
    path: /^\/delivery$/,
    at: '.v-btn.doing',
    text: 'What is accepted goes out from here: names, format, frame rate, one archive. That was all; the keys (?) tell the rest.',
  },
]

interface Kept {
  /** Names of the steps that have been read. */
  read: string[]
  away: boolean
}
const kept = useLocalStorage<Kept>('armuto.first-steps', { read: [], away: false })

/** Which first step is to be shown in a view: the first that belongs to it and has not been read. */
export function useFirstSteps() {
  const at = (path: string) =>
    kept.value.away
      ? null
      : (FIRST_STEPS.find((step) => step.path.test(path) && !kept.value.read.includes(step.name)) ?? null)
  const read = ({ name }: FirstStep) => (kept.value = { ...kept.value, read: [...kept.value.read, name] })
  const putAway = () => (kept.value = { ...kept.value, away: true })
  const begin = () => (kept.value = { read: [], away: false })
  return { at, read, putAway, begin }
}
