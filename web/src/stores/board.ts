import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useHistory } from '@/shared/useHistory'
import { useNewest } from '@/shared/useNewest'
import { useLibrary } from './library'
import { useMessages } from './messages'
import type { Before } from './renditions'
import { useRuns } from './runs'

export type Action = 'transfer' | 'update' | 'review' | 'accept' | 'deliver' | 'retire'
export type Plan = Schemas['ActionOut']
/** Ids of clip and character. */
export type ClipCell = [clip: number, character: number]
/** A cell of the board: of a clip and a character, or the id of a casting. */
export type Cell = ClipCell | number
export const ofClip = (cell: Cell): cell is ClipCell => typeof cell !== 'number'
export const ofCasting = (cell: Cell): cell is number => !ofClip(cell)
/** The cell that a result, or a row about one, is of. */
export const cellOf = (row: { clip_id: number | null; character_id: number | null; casting_id: number | null }): Cell =>
  row.casting_id ?? [row.clip_id ?? 0, row.character_id ?? 0]
export const WORDS = [
  'not yet',
  'waiting',
  'running',
  'good',
  'look',
  'wrong',
  'failed',
  'out of date',
  'accepted',
] as const
export type State = (typeof WORDS)[number]
/** What the board can be asked for: a state, or what was sent back with a note, whatever its state. */
export type Mark = State | 'sent back'
const ACCEPTED = 16
const SENT_BACK = 32
const EXCEPTION = 128

/** Clips against characters: one byte for each cell. */
export const useBoard = defineStore('board', () => {
  const states = shallowRef(new Uint8Array())
  const fittings = shallowRef(new Map<string, Schemas['FittingMark']>())
  /** Of castings by their ids: the ensemble, and the byte of the state. */
  const castings = shallowRef(new Map<number, Schemas['CastingMark']>())
  const loaded = ref(false)
  const rowOf = shallowRef(new Map<number, number>())
  const columnOf = shallowRef(new Map<number, number>())
  const width = computed(() => columnOf.value.size)

  const newest = useNewest()
  /** Asked anew each time: what is already on its way may be from before what was just done. */
  const load = () => newest(() => answer(client.GET('/api/board/')), put)
  function put(now: Schemas['BoardOut']) {
    rowOf.value = new Map(now.clips.map((id, at) => [id, at]))
    columnOf.value = new Map(now.characters.map((id, at) => [id, at]))
    fittings.value = new Map(now.fittings.map((mark) => [`${mark.skeleton_id}.${mark.character_id}`, mark]))
    castings.value = new Map(now.castings.map((mark) => [mark.id, mark]))
    states.value = Uint8Array.from(atob(now.states), (letter) => letter.charCodeAt(0))
    loaded.value = true
  }
  function byte(clip: number, character: number): number {
    const [row, column] = [rowOf.value.get(clip), columnOf.value.get(character)]
    return row === undefined || column === undefined ? 0 : states.value[row * width.value + column]
  }
  const state = (clip: number, character: number): State => WORDS[byte(clip, character) & 15]
  const castingByte = (casting: number) => castings.value.get(casting)?.state ?? 0
  const castingState = (casting: number): State => WORDS[castingByte(casting) & 15]
  const castingIs = (casting: number, marks: Mark[]) =>
    marks.some((mark) => (mark === 'sent back' ? castingSentBack(casting) : castingState(casting) === mark))
  const castingKeepsAccepted = (casting: number) => (castingByte(casting) & ACCEPTED) !== 0
  const castingSentBack = (casting: number) => (castingByte(casting) & SENT_BACK) !== 0
  /** An accepted result is kept, although the state says something else. */
  const keepsAccepted = (clip: number, character: number) => (byte(clip, character) & ACCEPTED) !== 0
  const hasException = (clip: number, character: number) => (byte(clip, character) & EXCEPTION) !== 0
  const sentBack = (clip: number, character: number) => (byte(clip, character) & SENT_BACK) !== 0
  const is = (clip: number, character: number, marks: Mark[]) =>
    marks.some((mark) => (mark === 'sent back' ? sentBack(clip, character) : state(clip, character) === mark))
  const fitting = (skeleton: number, character: number) => fittings.value.get(`${skeleton}.${character}`)

  /** What every action on these cells would mean. */
  const plans = async (cells: Cell[]) =>
    Object.fromEntries(
      (await answer(client.POST('/api/board/plan', { body: { cells } }))).map((plan) => [plan.action, plan]),
    ) as Record<Action, Plan>

  /** What was judged can be taken back and made again. */
  async function restore(rows: Before[]) {
    const before = await answer(client.POST('/api/board/restore', { body: { rows } }))
    await Promise.all([load(), useRuns().refresh()])
    return before
  }
  const history = useHistory(restore)
  const { undo, redo } = history
  /** Judge, and remember how it was before. */
  const judge = (work: () => Promise<Before[]>) =>
    history.inOrder(async () => {
      const before = await work()
      if (before.length) history.remember(before)
      return before
    })

  async function transfer(cells: Cell[], update = false) {
    const run = await answer(client.POST('/api/board/transfer', { body: { cells, update } }))
    await Promise.all([load(), useRuns().refresh()])
    return run
  }
  async function accept(cells: Cell[]) {
    const before = await judge(() => answer(client.POST('/api/board/accept', { body: { cells } })))
    await Promise.all([load(), useRuns().refresh()])
    if (before.length > 1) useMessages().say(`${before.length} results accepted.`, { label: 'Undo', run: undo })
    else if (before.length) useMessages().announce('One result accepted.')
    return before.length
  }
  async function retire(cells: Cell[]) {
    const before = await judge(() => answer(client.POST('/api/board/retire', { body: { cells } })))
    await Promise.all([load(), useRuns().refresh()])
    useMessages().say(`${before.length === 1 ? 'One result' : `${before.length} results`} retired.`, {
      label: 'Undo',
      run: undo,
    })
  }
  /** Let what a fitting says of every clip hold for these cells, too; each fitting has it as a step of its own. */
  async function takeBack(cells: Cell[]) {
    const clips = new Map<number, number[]>()
    for (const [clip, character] of cells.filter(ofClip).filter((cell) => hasException(...cell))) {
      const skeleton = useLibrary().clip(clip)?.skeleton_id
      const own = skeleton === undefined ? undefined : fitting(skeleton, character)
      if (own) clips.set(own.id, [...(clips.get(own.id) ?? []), clip])
    }
    const at = (id: number) => ({ params: { path: { fitting_id: id } } })
    for (const [id, own] of clips)
      await answer(client.POST('/api/fittings/{fitting_id}/exceptions/take-back', { ...at(id), body: { clips: own } }))
    await load()
    const count = [...clips.values()].flat().length
    useMessages().say(`${count === 1 ? 'One cell is' : `${count} cells are`} as the fitting says again.`, {
      label: 'Undo',
      run: async () => {
        for (const id of clips.keys()) await answer(client.POST('/api/fittings/{fitting_id}/undo', at(id)))
        await load()
      },
    })
  }
  async function sendBack(id: number, note: string) {
    const path = { params: { path: { rendition_id: id } } }
    await judge(() => answer(client.POST('/api/renditions/{rendition_id}/send-back', { ...path, body: { note } })))
    await load()
  }
  return {
    states,
    fittings,
    castings,
    castingState,
    castingIs,
    castingKeepsAccepted,
    castingSentBack,
    loaded,
    load,
    state,
    keepsAccepted,
    sentBack,
    hasException,
    takeBack,
    is,
    fitting,
    plans,
    undo,
    redo,
    transfer,
    accept,
    retire,
    sendBack,
  }
})
