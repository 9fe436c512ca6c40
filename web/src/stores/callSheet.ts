import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import { useHistory } from '@/shared/useHistory'
import { useNewest } from '@/shared/useNewest'
import { sameBody } from './bodies'
import type { ClipCell } from './board'
import { useCast } from './cast'
import { useLibrary } from './library'

export type Wanted = Schemas['WantedOut']
export type WantedCell = Schemas['WantedCell']
export type WantedState = Wanted['state']
export type WantedChange = Schemas['WantedChange']
type Step = Schemas['WantedStep']

/** From the beginning to the end. */
export const WANTED_STATES: WantedState[] = ['missing', 'to choose', 'in work', 'done']

/** Motions that are wanted, before there are clips. */
export const useCallSheet = defineStore('call sheet', () => {
  const rows = shallowRef<Wanted[]>([])
  const unmeasured = ref(0)
  const loaded = ref(false)
  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/callsheet/')),
      (sheet) => {
        rows.value = sheet.rows
        unmeasured.value = sheet.unmeasured
        loaded.value = true
      },
    )
  const row = (id: number) => rows.value.find((wanted) => wanted.id === id)

  const history = useHistory<Step[]>(async (steps) => {
    const back = await answer(client.POST('/api/callsheet/restore', { body: { steps } }))
    await load()
    return back
  }, 'armuto.callsheet')

  /** Do something that can be taken back, and show what has come of it. */
  const remembered = (work: () => Promise<Step[]>) =>
    history.inOrder(async () => {
      const steps = await work()
      history.remember(steps)
      await load()
      return steps
    })
  const made = (work: () => Promise<Schemas['WantedMade']>) => {
    const problems: string[] = []
    return remembered(async () => {
      const answered = await work()
      problems.push(...answered.problems)
      return answered.steps
    }).then((steps) => ({ steps, problems }))
  }
  const write = (wanted: Partial<Wanted> & { motion: string }) => {
    const row = { character_ids: [], awaited: [], mood: '', prop: '', variants: 1, note: '', clip_ids: [] }
    return made(() => answer(client.POST('/api/callsheet/', { body: { rows: [{ ...row, ...wanted }] } })))
  }
  const paste = (text: string) => made(() => answer(client.POST('/api/callsheet/table', { body: { text } })))
  function importFile(file: File) {
    const body = new FormData()
    body.append('file', file)
    return made(() =>
      answer(client.POST('/api/callsheet/file', { body: body as never, bodySerializer: (form) => form as never })),
    )
  }
  /** base: the version that the change was begun on, where that is not the one at hand; null for whatever it is. */
  const change = (id: number, wanted: WantedChange, base?: number | null) =>
    remembered(async () => {
      const path = { params: { path: { wanted_id: id } } }
      const headers = base === null ? {} : onVersion(base ?? row(id))
      return [await answer(client.PATCH('/api/callsheet/{wanted_id}', { ...path, headers, body: wanted }))]
    })
  const remove = (id: number) =>
    remembered(async () => {
      const path = { params: { path: { wanted_id: id } } }
      return [await answer(client.DELETE('/api/callsheet/{wanted_id}', { ...path, headers: onVersion(row(id)) }))]
    })
  /** Take a clip for a row, or let it go. */
  function take(id: number, clip: number) {
    const own = row(id)?.clip_ids ?? []
    return change(id, { clip_ids: own.includes(clip) ? own.filter((other) => other !== clip) : [...own, clip] })
  }
  /** In the order of the changes, so that nothing is asked about a row that is just being taken away. */
  const candidates = (id: number) =>
    history.inOrder(async () => {
      const path = { params: { path: { wanted_id: id } } }
      return row(id) ? answer(client.GET('/api/callsheet/{wanted_id}/candidates', path)) : []
    })
  /** Have the worker measure the motion of clips that it has not measured yet. */
  const measure = () => answer(client.POST('/api/callsheet/measure'))

  /** How many motions are not done yet, by character. */
  const toDo = computed(() => {
    const counts = new Map<number, number>()
    for (const { cells } of rows.value)
      for (const cell of cells)
        if (cell.state !== 'done') counts.set(cell.character_id, (counts.get(cell.character_id) ?? 0) + 1)
    return counts
  })
  const { undo, redo, undoable, redoable } = history
  return {
    ...{ rows, unmeasured, loaded, load, row, write, paste, importFile, change, remove, take, candidates, measure },
    ...{ toDo, undo, redo, undoable, redoable },
  }
})

/** The cells of the board for what was chosen for a character of a row: clips of its own body plan. */
export function cellsOf(row: Wanted, character: number): ClipCell[] {
  const performer = useCast().character(character)
  const clips = row.clip_ids.map((id) => useLibrary().clip(id)).filter((clip) => !!clip && !clip.retired)
  return clips.filter((clip) => performer && sameBody(clip!, performer)).map((clip) => [clip!.id, character])
}
