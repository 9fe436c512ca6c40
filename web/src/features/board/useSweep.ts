import { computed, ref, shallowRef, watch, type Ref } from 'vue'

import type { ClipCell } from '@/stores/board'
import type { Character } from '@/stores/cast'
import type { Clip } from '@/stores/library'

export interface Place {
  row: number
  column: number
}

/** Cells that are swept: rectangles drawn by pointer or keyboard, whole rows and columns, added to or taken away. */
export function useSweep(clips: Ref<Clip[]>, characters: Ref<Character[]>) {
  const chosen = shallowRef(new Set<string>())
  /** The cell with the keyboard's focus, and where a rectangle began. */
  const at = ref<Place>({ row: 0, column: 0 })
  const from = ref<Place>({ row: 0, column: 0 })
  /** What was chosen before the rectangle that is being drawn. */
  let before = new Set<string>()
  let taking = false

  const keyOf = (row: number, column: number) => `${clips.value[row]?.id}.${characters.value[column]?.id}`
  const has = (clip: number, character: number) => chosen.value.has(`${clip}.${character}`)

  function rectangle() {
    const now = new Set(before)
    const [top, bottom] = [from.value.row, at.value.row].sort((a, b) => a - b)
    const [left, right] = [from.value.column, at.value.column].sort((a, b) => a - b)
    for (let row = top; row <= bottom; row++)
      for (let column = left; column <= right; column++) {
        if (taking) now.delete(keyOf(row, column))
        else now.add(keyOf(row, column))
      }
    chosen.value = now
  }
  const within = (place: Place): Place => ({
    row: Math.min(Math.max(place.row, 0), clips.value.length - 1),
    column: Math.min(Math.max(place.column, 0), characters.value.length - 1),
  })
  /** Begin at a cell. more: with what is chosen already; then a chosen cell is taken away. */
  function begin(place: Place, more: boolean) {
    before = more ? new Set(chosen.value) : new Set()
    taking = more && before.has(keyOf(place.row, place.column))
    from.value = at.value = place
    rectangle()
  }
  function extend(place: Place) {
    at.value = within(place)
    rectangle()
  }
  /** Move the focus. Nothing is chosen by that but with shift, which draws on. */
  function move(rows: number, columns: number, draw: boolean) {
    if (draw) return extend({ row: at.value.row + rows, column: at.value.column + columns })
    from.value = at.value = within({ row: at.value.row + rows, column: at.value.column + columns })
    before = new Set(chosen.value)
    taking = false
  }
  function toggle(cells: ClipCell[], more: boolean) {
    const keys = cells.map(([clip, character]) => `${clip}.${character}`)
    const all = keys.every((key) => chosen.value.has(key))
    const now = more ? new Set(chosen.value) : new Set<string>()
    for (const key of keys) {
      if (all && more) now.delete(key)
      else now.add(key)
    }
    chosen.value = now
  }
  const clear = () => (chosen.value = before = new Set())
  const cells = computed<ClipCell[]>(() => {
    const out: ClipCell[] = []
    if (!chosen.value.size) return out
    for (const clip of clips.value) for (const { id } of characters.value) if (has(clip.id, id)) out.push([clip.id, id])
    return out
  })
  // What is not shown any more is not chosen any more: nothing happens to cells that nobody sees.
  watch([clips, characters], () => {
    at.value = within(at.value)
    from.value = within(from.value)
    if (chosen.value.size) chosen.value = new Set(cells.value.map(([clip, character]) => `${clip}.${character}`))
  })
  return { chosen, cells, at, from, has, begin, extend, move, toggle, clear }
}
