import { describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { useHistory } from './useHistory'

/** A number that is changed by steps; applying one returns the step that undoes it. */
function counter() {
  let value = 0
  let broken = false
  const history = useHistory<number>(async (step) => {
    if (broken) throw new Error('the server is away')
    value += step
    return -step
  })
  const add = (by: number) => {
    value += by
    history.remember(-by)
  }
  return { history, add, value: () => value, breakIt: (now: boolean) => (broken = now) }
}

describe('history', () => {
  it('takes steps back and makes them again', async () => {
    const { history, add, value } = counter()
    add(3)
    add(4)
    await history.undo()
    expect(value()).toBe(3)
    await history.undo()
    await history.undo() // nothing is left
    expect([value(), history.undoable.value, history.redoable.value]).toEqual([0, false, true])
    await history.redo()
    await history.redo()
    expect([value(), history.redoable.value]).toEqual([7, false])
  })
  it('forgets what had been taken back once something new is done', async () => {
    const { history, add, value } = counter()
    add(3)
    await history.undo()
    add(5)
    await history.redo()
    expect([value(), history.redoable.value]).toEqual([5, false])
  })
  it('keeps a step that failed, to be tried again', async () => {
    const { history, add, value, breakIt } = counter()
    add(3)
    breakIt(true)
    await expect(history.undo()).rejects.toThrow('away')
    expect([value(), history.undoable.value, history.redoable.value]).toEqual([3, true, false])
    breakIt(false)
    await history.undo()
    expect(value()).toBe(0)
  })
  it('takes back what was done last, though what was done before it took longer', async () => {
    const done: string[] = []
    const history = useHistory<string>(async (step) => (done.push(`back ${step}`), step))
    const act = (name: string, after: number) =>
      history.inOrder(async () => {
        await new Promise((wake) => setTimeout(wake, after))
        done.push(name)
        history.remember(name)
      })
    await Promise.all([act('slow', 20), act('quick', 0), history.undo()])
    expect(done).toEqual(['slow', 'quick', 'back quick'])
    await expect(history.inOrder(() => Promise.reject(new Error('no')))).rejects.toThrow('no')
    await history.undo()
    expect(done.at(-1)).toBe('back slow')
  })
  it('keeps sixty steps', async () => {
    const { history, add, value } = counter()
    for (let n = 0; n < 70; n++) add(1)
    for (let n = 0; n < 70; n++) await history.undo()
    expect(value()).toBe(10)
  })
  it('finds its steps again after a reload, each under its own name', async () => {
    sessionStorage.clear()
    const undone: number[] = []
    const open = (key: string) => useHistory<number>(async (step) => (undone.push(step), -step), key)
    const first = open('armuto.test.1')
    first.remember(3)
    first.remember(4)
    await first.undo()
    await nextTick() // storage is written once what is drawn is up to date
    const again = open('armuto.test.1')
    await again.undo()
    expect([undone, again.redoable.value]).toEqual([[4, 3], true])
    expect(open('armuto.test.2').undoable.value).toBe(false)
  })
})
