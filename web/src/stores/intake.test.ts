import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'

import { client } from '@/api/client'
import { useIntake, type IntakeRow } from './intake'

const row = (id: number, more: Partial<IntakeRow> = {}) =>
  ({ id, file_id: id, name: '', ticked: true, fields: {}, ...more }) as unknown as IntakeRow
const flush = () => new Promise((done) => setTimeout(done))

beforeEach(() => setActivePinia(createPinia()))

test('steps are taken back in the order of the hand, though the first is answered last', async () => {
  const intake = useIntake()
  intake.rows = [row(1, { name: 'bow' }), row(2)]
  const [asked, answers]: [object[], ((rows: IntakeRow[]) => void)[]] = [[], []]
  vi.spyOn(client, 'PATCH').mockImplementation(((_: string, { body }: { body: object }) => {
    asked.push(body)
    return new Promise((done) => answers.push((data) => done({ data, response: new Response() })))
  }) as never)
  const both = Promise.all([intake.change([1], { name: 'deep bow' }), intake.change([2], { ticked: false })])
  await flush()
  expect(asked).toEqual([{ ids: [1], name: 'deep bow' }])
  answers[0]([row(1, { name: 'deep bow' })])
  await flush()
  answers[1]([row(2, { ticked: false })])
  await both
  expect(intake.rows.map(({ name, ticked }) => [name, ticked])).toEqual([
    ['deep bow', true],
    ['', false],
  ])

  // An undo waits for what is under way, and takes back the last thing that was done.
  const third = intake.change([1], { ticked: false })
  const undone = intake.undo()
  await flush()
  expect(asked).toHaveLength(3)
  answers[2]([row(1, { name: 'deep bow', ticked: false })])
  await flush()
  expect(asked[3]).toEqual({ ids: [1], ticked: true })
  answers[3]([row(1, { name: 'deep bow' })])
  await Promise.all([third, undone])
  void intake.undo()
  await flush()
  expect(asked[4]).toEqual({ ids: [2], ticked: true })
})

test('what fails is said, is no step, and holds up nothing', async () => {
  const intake = useIntake()
  intake.rows = [row(1)]
  vi.spyOn(client, 'PATCH')
    .mockRejectedValueOnce(new Error('no'))
    .mockResolvedValue({ data: [row(1, { ticked: false })], response: new Response() } as never)
  await Promise.all([intake.change([1], { name: 'x' }), intake.change([1], { ticked: false })])
  expect(intake.rows[0].ticked).toBe(false)
  await intake.undo()
  expect(intake.undoable).toBe(false)
})

test('what was asked while something was changed does not come back over it', async () => {
  const intake = useIntake()
  intake.rows = [row(1, { last: 150 }), row(2)]
  const [lists, patches]: [((rows: IntakeRow[]) => void)[], (() => void)[]] = [[], []]
  const said = (data: unknown) => ({ data, response: new Response() })
  const summary = { reading: 0, ready: 2, accepting: 0, refused: 0, measuring: 0, rows: [1, 2], files: [1, 2] }
  vi.spyOn(client, 'GET').mockImplementation(((path: string) => {
    if (path === '/api/intake/') return Promise.resolve(said(summary))
    if (path === '/api/intake/rows') return new Promise((done) => lists.push((rows) => done(said(rows))))
    return Promise.resolve(said([]))
  }) as never)
  vi.spyOn(client, 'PATCH').mockImplementation(
    (() => new Promise((done) => patches.push(() => done(said([row(1, { last: 100 })]))))) as never,
  )
  const lasts = () => intake.rows.map((each) => each.last)

  const anew = [{ path: '/api/intake/rows' }] as never
  // Asked before the change, answered after it.
  const asked = intake.follow(anew)
  await flush()
  const change = intake.change([1], { last: 100 })
  await flush()
  patches[0]()
  await change
  lists[0]([row(1, { last: 150 }), row(2)])
  await asked
  expect(lasts()[0]).toBe(100)
  // Asked while it is on its way, answered before it is.
  const meanwhile = intake.change([1], { last: 100 })
  await flush()
  const again = intake.follow(anew)
  await flush()
  lists[1]([row(1, { last: 150 }), row(2)])
  await again
  patches[1]()
  await meanwhile
  expect(lasts()[0]).toBe(100)
  // And asked for again, once nothing is.
  const later = intake.refresh()
  await flush()
  lists[2]([row(1, { last: 120 }), row(2)])
  await later
  expect(lasts()[0]).toBe(120)
})
