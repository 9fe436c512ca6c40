import { computed, ref, shallowRef, watch, type Ref } from 'vue'

import type { Place } from './useSweep'

/** Castings that are swept, in rows of different lengths: rows of their ids, one for each ensemble. */
export function useCastingSweep(rows: Ref<number[][]>) {
  const chosen = shallowRef(new Set<number>())
  /** The cell with the keyboard's focus, and where a stretch began. */
  const at = ref<Place>({ row: 0, column: 0 })
  let from = 0
  let before = new Set<number>()

  const inOrder = computed(() => rows.value.flat())
  const idAt = ({ row, column }: Place) => rows.value[row]?.[column]
  const placeOf = (id: number): Place => {
    const row = rows.value.findIndex((ids) => ids.includes(id))
    return { row, column: rows.value[row]?.indexOf(id) ?? -1 }
  }
  /** Choose one, with what is chosen already or without; then one that is chosen is taken away. */
  function begin(id: number, more: boolean) {
    const now = more ? new Set(chosen.value) : new Set<number>()
    if (more && now.has(id)) now.delete(id)
    else now.add(id)
    from = id
    before = new Set(now)
    at.value = placeOf(id)
    chosen.value = now
  }
  /** Everything from where the stretch began to this one, in the order of reading. */
  function extend(id: number) {
    const ends = [inOrder.value.indexOf(from), inOrder.value.indexOf(id)].sort((a, b) => a - b)
    chosen.value = new Set([...before, ...inOrder.value.slice(Math.max(ends[0], 0), ends[1] + 1)])
    at.value = placeOf(id)
  }
  /** Move the focus to the nearest cell there. draw: choosing on the way. */
  function move(down: number, right: number, draw: boolean) {
    const last = rows.value.length - 1
    let row = at.value.row
    for (let steps = Math.abs(down); steps > 0; steps--) {
      let next = row + Math.sign(down)
      while (rows.value[next]?.length === 0) next += Math.sign(down)
      if (next < 0 || next > last) break
      row = next
    }
    const column = Math.min(Math.max(at.value.column + right, 0), Math.max((rows.value[row]?.length ?? 1) - 1, 0))
    at.value = { row, column }
    const id = idAt(at.value)
    if (id === undefined) return
    if (draw) return extend(id)
    from = id
    before = new Set(chosen.value)
  }
  function toggle(ids: number[], more: boolean) {
    const now = more ? new Set(chosen.value) : new Set<number>()
    const all = ids.every((id) => chosen.value.has(id))
    for (const id of ids) {
      if (all && more) now.delete(id)
      else now.add(id)
    }
    chosen.value = now
  }
  const clear = () => (chosen.value = new Set())
  const cells = computed(() => inOrder.value.filter((id) => chosen.value.has(id)))
  // What is not shown any more is not chosen any more: nothing happens to cells that nobody sees.
  watch(rows, (now) => {
    const row = Math.min(Math.max(at.value.row, 0), Math.max(now.length - 1, 0))
    at.value = { row, column: Math.min(at.value.column, Math.max((now[row]?.length ?? 1) - 1, 0)) }
    if (chosen.value.size) chosen.value = new Set(cells.value)
  })
  return { chosen, cells, at, idAt, begin, extend, move, toggle, clear }
}
