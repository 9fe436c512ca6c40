import { computed, shallowRef, type Ref } from 'vue'

import type { ClipCell } from '@/stores/board'
import { cellsOf, useCallSheet, type Wanted } from '@/stores/callSheet'
import { useCast } from '@/stores/cast'
import { useMessages } from '@/stores/messages'

/** The wanted motions of the board: those that are asked for, and whose results are swept. */
export function useWantedSheet(text: Ref<string>) {
  const sheet = useCallSheet()
  const cast = useCast()
  const chosen = shallowRef(new Set<string>())
  const rows = computed(() => {
    const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
    return sheet.rows.filter(({ motion, mood, prop }) =>
      words.every((word) => `${motion} ${mood} ${prop}`.toLowerCase().includes(word)),
    )
  })
  const characters = computed(() =>
    cast.present.filter(({ id }) => sheet.rows.some((row) => row.character_ids.includes(id))),
  )
  const keyOf = (row: Wanted, character: number) => `${row.id}.${character}`
  const has = (row: Wanted, character: number) => chosen.value.has(keyOf(row, character))
  /** What was chosen for these, with what is swept already or without it; where all of it is swept, it no longer is. */
  function toggle(wanted: [Wanted, number][]) {
    const keys = wanted.map(([row, character]) => keyOf(row, character))
    const now = new Set(chosen.value)
    const all = keys.every((key) => now.has(key))
    for (const key of keys) {
      if (all) now.delete(key)
      else now.add(key)
    }
    chosen.value = now
  }
  const clear = () => (chosen.value = new Set())
  const cells = computed<ClipCell[]>(() => {
    const found = new Map<string, ClipCell>()
    for (const row of rows.value)
      for (const { character_id } of row.cells)
        if (has(row, character_id)) for (const cell of cellsOf(row, character_id)) found.set(cell.join('.'), cell)
    return [...found.values()]
  })
  const load = () => sheet.load().catch(useMessages().fail)
  return { rows, characters, sweep: { cells, clear }, has, toggle, load }
}
