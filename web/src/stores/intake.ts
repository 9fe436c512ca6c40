import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, Refused, type Schemas } from '@/api/client'
import { useCast } from './cast'
import type { Change as Written } from './changes'
import { useLibrary } from './library'
import { useHistory } from '@/shared/useHistory'
import { useMessages } from './messages'
import { useRuns } from './runs'
import { inRequests } from './uploads'

export type IntakeRow = Schemas['RowOut']
export type IntakeFile = Schemas['FileOut']
export type Rule = Schemas['RuleOut']
export type Goal = 'auto' | 'library' | 'cast'
type Telling = Omit<Schemas['Telling'], 'files'>
type Change = Omit<Schemas['RowsChange'], 'ids'>

const ANEW = 4000 // milliseconds between two looks at what clips could be refined by, for as many clips as FEW
const FEW = 200
const MEANWHILE = 1000 // milliseconds until what was changed while it was asked is asked for again

/** Files laid out for a decision. Everything lies in the studio: closing the window loses nothing. */
export const useIntake = defineStore('intake', () => {
  const rows = shallowRef<IntakeRow[]>([])
  const files = shallowRef<IntakeFile[]>([])
  const summary = ref<Schemas['Summary'] | null>(null)
  const names = ref<Record<string, string>>({})
  const rule = ref<Rule | null>(null)
  const sending = ref({ done: 0, total: 0 })
  /** How many files were being accepted when that began, for the progress. */
  const accepted = ref(0)
  const plates = new Map<string, Promise<Schemas['PlateOut'] | null>>()
  let timer: ReturnType<typeof setTimeout> | undefined
  let stopped = false
  let looked = 0
  /** How many clips had not been measured when all rows were last asked for, and when that was. */
  let unmeasured = 0
  let asked = 0
  let naming: ReturnType<typeof setTimeout> | undefined

  const file = computed(() => new Map(files.value.map((row) => [row.id, row])))
  const motion = computed(() => files.value.filter((row) => row.kind === 'motion'))
  const characters = computed(() => files.value.filter((row) => row.kind === 'character' && row.state !== 'accepting'))
  const refused = computed(() => files.value.filter((row) => row.state === 'refused'))
  const ticked = computed(() => rows.value.filter((row) => row.ticked))
  const busy = computed(() => !!summary.value && summary.value.reading + summary.value.accepting > 0)

  async function bringIn(chosen: File[], goal: Goal = 'auto') {
    sending.value = { done: sending.value.done, total: sending.value.total + chosen.length }
    for (const part of inRequests(chosen)) {
      const body = new FormData()
      for (const piece of part) {
        body.append('files', piece)
        body.append('paths', piece.webkitRelativePath || piece.name)
      }
      body.append('goes_to', goal)
      try {
        await answer(client.POST('/api/intake/files', { body: body as never, bodySerializer: (form) => form as never }))
      } catch (problem) {
        useMessages().fail(problem)
      }
      sending.value = { ...sending.value, done: sending.value.done + part.length }
      void refresh()
    }
    if (sending.value.done >= sending.value.total) sending.value = { done: 0, total: 0 }
    await refresh()
  }

  /** Changes that are on their way, and how many have been. */
  let writing = 0
  let changes = 0
  async function write<Result>(work: () => Promise<Result>): Promise<Result> {
    writing += 1
    try {
      return await work()
    } finally {
      writing -= 1
      changes += 1
    }
  }
  /** What is asked while something is being changed may know nothing of that: then there is no answer. */
  async function unlessChanged<Found>(ask: () => Promise<Found>): Promise<Found | null> {
    const before = changes
    const found = await ask()
    return writing || changes !== before ? null : found
  }

  let anew = false
  /** Take up what others have done: of rows that are known, too, where it was a person. */
  function follow(written: Written[]) {
    anew ||= written.some((change) => change.path)
    return refresh()
  }
  let asking: Promise<void> = Promise.resolve()
  let next: Promise<void> | null = null
  /** Ask what is there, once whatever is being asked has been answered; who asks meanwhile shares the next answer. */
  function refresh(): Promise<void> {
    next ??= asking = asking.then(() => {
      next = null
      return ask()
    })
    return next
  }
  /** Only rows that are new are fetched, and all of them once reading has ended. */
  async function ask() {
    clearTimeout(timer)
    let wait = 0
    try {
      const before = summary.value
      // The worker may be through before anybody has seen it at work: what counts is that acceptance had begun.
      const began = accepted.value > 0
      const now = await answer(client.GET('/api/intake/'))
      const present = new Set(now.rows)
      const remaining = rows.value.filter((row) => present.has(row.id))
      // What rows could be refined by comes in one after another: it is shown every few seconds, and at the end.
      const proposed =
        now.measuring < unmeasured &&
        (!now.measuring || performance.now() - asked > ANEW * Math.max(1, rows.value.length / FEW))
      unmeasured = proposed ? now.measuring : Math.max(unmeasured, now.measuring)
      if (proposed) asked = performance.now()
      const settled = anew || (!!before?.reading && !now.reading) || proposed
      const filesToo = anew
      anew = false
      const newest = settled ? 0 : remaining.reduce((most, row) => Math.max(most, row.id), 0)
      if (settled || now.rows.length > remaining.length) {
        const query = { after: newest }
        const found = await unlessChanged(() => answer(client.GET('/api/intake/rows', { params: { query } })))
        if (found) {
          rows.value = (settled ? found : [...remaining, ...found]).sort((a, b) => a.file_id - b.file_id || a.id - b.id)
          askNames()
        } else anew = true
      } else if (remaining.length < rows.value.length) rows.value = remaining
      const changed = filesToo || !before || before.files.join() !== now.files.join() || before.reading !== now.reading
      if (changed || before.refused !== now.refused || before.accepting !== now.accepting) {
        const found = await unlessChanged(() => answer(client.GET('/api/intake/files')))
        if (found) files.value = found
        else anew = true
      }
      // The library is looked at again at the end, and now and then on the way there.
      if (began && (!now.accepting || (before?.accepting !== now.accepting && performance.now() - looked > 3000))) {
        looked = performance.now()
        await Promise.all([useLibrary().load(), useCast().load(), useRuns().refresh()])
        if (!now.accepting) {
          accepted.value = 0
          ended(now)
        }
      }
      accepted.value = Math.max(accepted.value, now.accepting)
      summary.value = now
      if (anew) wait = MEANWHILE
      else if (now.reading + now.accepting) wait = 500
      else if (now.measuring) wait = 1500
    } catch {
      wait = 3000
    }
    clearTimeout(timer)
    if (wait) timer = setTimeout(refresh, wait)
  }
  function ended(now: Schemas['Summary']) {
    const waiting = now.ready + now.refused
    if (stopped)
      return useMessages().say(
        `Stopped; ${waiting === 1 ? 'one file still waits' : `${waiting} files still wait`}, what is in stays in.`,
      )
    const left = now.refused
      ? ` ${now.refused === 1 ? 'One file' : `${now.refused} files`} could not be taken in; the sentence is in the intake.`
      : ''
    useMessages().say(`The intake has been accepted.${left}`, { label: 'See the library', path: '/library' })
  }

  function put(found: IntakeRow[]) {
    const by = new Map(found.map((row) => [row.id, row]))
    rows.value = rows.value.map((row) => by.get(row.id) ?? row)
    askNames()
  }
  /** What was changed, as steps that can be taken back and made again. */
  interface Step {
    back: () => Promise<unknown>
    again: () => Promise<unknown>
  }
  const { remember, inOrder, undo, redo, undoable, redoable } = useHistory<Step>(async (step, back) => {
    await (back ? step.back() : step.again())
    return step
  })
  /** What rows are now in the things that are about to change, grouped so that few requests bring it back. */
  function asTheyAre(ids: number[], wanted: Change): { ids: number[]; values: Change }[] {
    const groups = new Map<string, { ids: number[]; values: Change }>()
    const chosen = new Set(ids)
    for (const row of rows.value.filter((other) => chosen.has(other.id))) {
      const values: Change = {}
      if (wanted.ticked !== undefined || wanted.becomes_id !== undefined) values.ticked = row.ticked
      if (wanted.name !== undefined) values.name = row.name
      if (wanted.first !== undefined || wanted.last !== undefined || wanted.range)
        Object.assign(values, { first: row.first, last: row.last })
      if (wanted.becomes_id !== undefined) values.becomes_id = row.becomes_id
      if (wanted.floor !== undefined) values.floor = row.floor ?? 'measured'
      if (wanted.recipe) values.recipe = { steps: row.recipe.steps ?? [] }
      if (wanted.fields)
        values.fields = Object.fromEntries(
          Object.keys(wanted.fields).map((key) => [
            key,
            row.fields[key as keyof typeof row.fields]?.toString() ?? null,
          ]),
        )
      const key = JSON.stringify(values)
      const group = groups.get(key) ?? { ids: [], values }
      group.ids.push(row.id)
      groups.set(key, group)
    }
    return [...groups.values()]
  }
  const change = (ids: number[], wanted: Change) => inOrder(() => changeNow(ids, wanted))
  const changeNow = (ids: number[], wanted: Change, remembered = true) =>
    write(() => changeRows(ids, wanted, remembered))
  async function tellNow(ids: number[], choices: Telling, remembered = true) {
    await write(() => tellFiles(ids, choices, remembered))
    await refresh()
  }
  /** Other recipes for groups of rows, as one step that can be taken back. */
  const refine = (groups: { ids: number[]; recipe: Change['recipe'] }[]) =>
    inOrder(async () => {
      const ids = groups.flatMap((group) => group.ids)
      const before = asTheyAre(ids, { recipe: { steps: [] } })
      const all = async () => {
        for (const group of groups) await changeNow(group.ids, { recipe: group.recipe }, false)
      }
      await all()
      remember({
        back: async () => {
          for (const group of before) await changeNow(group.ids, group.values, false)
        },
        again: all,
      })
    })
  async function changeRows(ids: number[], wanted: Change, remembered: boolean) {
    const before = asTheyAre(ids, wanted)
    try {
      put(await answer(client.PATCH('/api/intake/rows', { body: { ids, ...wanted } })))
      if (remembered)
        remember({
          back: async () => {
            for (const group of before) await changeNow(group.ids, group.values, false)
          },
          again: () => changeNow(ids, wanted, false),
        })
    } catch (problem) {
      useMessages().fail(problem)
    }
  }
  const tell = (ids: number[], choices: Telling) => inOrder(() => tellNow(ids, choices))
  async function tellFiles(ids: number[], choices: Telling, remembered: boolean) {
    const before = [...new Set(ids)].map((id) => ({ id, told: (file.value.get(id)?.told ?? {}) as Telling }))
    try {
      if (remembered && Object.keys(choices).length)
        remember({
          back: async () => {
            for (const { id, told } of before)
              await tellNow(
                [id],
                {
                  ...(told.height ? { height: told.height } : { unit: told.unit ?? 'detect' }),
                  up: told.up ?? 'detect',
                  turned: told.turned ?? 0,
                  bound: told.bound ?? false,
                  ...(choices.alone === undefined ? {} : { alone: told.alone ?? false }),
                },
                false,
              )
          },
          again: () => tellNow(ids, choices, false),
        })
      const found = await answer(client.POST('/api/intake/tell', { body: { files: [...new Set(ids)], ...choices } }))
      const by = new Map(found.map((row) => [row.id, row]))
      files.value =
        choices.alone === undefined
          ? files.value.map((row) => by.get(row.id) ?? row)
          : await answer(client.GET('/api/intake/files')) // of those that it stands with, too
      const fresh = await answer(client.GET('/api/intake/rows', { params: { query: {} } }))
      rows.value = fresh
      askNames()
    } catch (problem) {
      useMessages().fail(problem)
    }
  }
  async function changeFile(id: number, wanted: Schemas['FileChange']) {
    const found = await answer(
      client.PATCH('/api/intake/files/{file_id}', { params: { path: { file_id: id } }, body: wanted }),
    )
    files.value = files.value.map((row) => (row.id === id ? found : row))
  }

  function askNames() {
    clearTimeout(naming)
    naming = setTimeout(async () => {
      names.value = await answer(client.GET('/api/intake/names')).catch(() => names.value)
    }, 60)
  }
  async function loadRule() {
    rule.value = await answer(client.GET('/api/intake/rule'))
  }
  /** Seen at once; told one after another, so that the last word is the one that stays. */
  let ruling: Promise<unknown> = Promise.resolve()
  function setRule(style: string, pieces: Rule['pieces']) {
    const wanted = { ...(rule.value as Rule), style, pieces }
    rule.value = wanted
    ruling = ruling.then(async () => {
      try {
        await answer(client.PUT('/api/intake/rule', { body: { style, pieces } }))
        askNames()
      } catch (problem) {
        useMessages().fail(problem)
        await loadRule().catch(() => undefined)
      }
    })
    return ruling
  }

  async function accept(ids?: number[]) {
    // Before it is asked for: the worker may be at it, and be stopped, before the answer is here.
    stopped = false
    try {
      const found = await answer(client.POST('/api/intake/accept', { body: { files: ids ?? null } }))
      if (!found.ids.length) throw new Refused('Nothing is ticked; tick the clips to take in.')
      accepted.value = Math.max(accepted.value, found.ids.length)
      await refresh()
    } catch (problem) {
      useMessages().fail(problem)
    }
  }
  async function stop() {
    stopped = true
    await answer(client.POST('/api/intake/stop')).catch(useMessages().fail)
    await refresh()
  }
  async function dismiss(ids?: number[]) {
    await answer(client.POST('/api/intake/dismiss', { body: { files: ids ?? null } })).catch(useMessages().fail)
    await refresh()
  }

  /** The plate of a row's whole take, fetched once per reading. */
  function plate(row: IntakeRow) {
    const key = `${row.id}.${row.revision}`
    let found = plates.get(key)
    if (!found) {
      found = answer(client.GET('/api/intake/rows/{row_id}/plate', { params: { path: { row_id: row.id } } }))
      found.catch(() => plates.delete(key))
      plates.set(key, found)
    }
    return found
  }
  return {
    rows,
    files,
    file,
    motion,
    characters,
    refused,
    ticked,
    busy,
    summary,
    names,
    rule,
    sending,
    accepted,
    bringIn,
    refresh,
    follow,
    change,
    refine,
    changeFile,
    tell,
    loadRule,
    setRule,
    accept,
    stop,
    dismiss,
    plate,
    undoable,
    redoable,
    undo,
    redo,
  }
})
