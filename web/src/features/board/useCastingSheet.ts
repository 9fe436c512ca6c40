import { computed, type Ref } from 'vue'

import { useBoard, WORDS, type Mark } from '@/stores/board'
import { useEnsembles } from '@/stores/ensembles'
import { useMessages } from '@/stores/messages'
import { useCastingSweep } from './useCastingSweep'

/** The ensembles of the board: those that are asked for, and what of their castings is swept. */
export function useCastingSheet(text: Ref<string>, lit: Ref<Mark[]>) {
  const board = useBoard()
  const ensembles = useEnsembles()
  const all = computed(() => ensembles.rows)
  const matching = computed(() => {
    const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
    return ensembles.rows.filter(({ name, performers, props, castings }) => {
      const about = [name, ...performers, ...props, ...castings.map((casting) => casting.name)].join(' ').toLowerCase()
      return words.every((word) => about.includes(word))
    })
  })
  const rows = computed(() =>
    lit.value.length
      ? matching.value.filter((row) => row.castings.some(({ id }) => board.castingIs(id, lit.value)))
      : matching.value,
  )
  const sweep = useCastingSweep(computed(() => rows.value.map((row) => row.castings.map(({ id }) => id))))
  const tally = computed(() => {
    const out = Object.fromEntries([...WORDS, 'sent back'].map((word) => [word, 0])) as Record<Mark, number>
    for (const { id } of matching.value.flatMap((row) => row.castings)) {
      out[board.castingState(id)] += 1
      if (board.castingSentBack(id)) out['sent back'] += 1
    }
    return out
  })
  /** A casting in words. */
  const title = (id: number) => {
    const row = ensembles.rows.find(({ castings }) => castings.some((casting) => casting.id === id))
    return `${row?.name} by ${row?.castings.find((casting) => casting.id === id)?.name}`
  }
  const load = () => ensembles.load().catch(useMessages().fail)
  return { all, rows, sweep, tally, title, load }
}
