import { useSessionStorage } from '@vueuse/core'
import { computed, shallowRef, type ShallowRef } from 'vue'

const LONGEST = 60

/**
 * Steps that can be taken back and made again. `apply` carries a step out, backwards or forwards, and returns the
 * step that undoes it. A new step forgets what had been taken back; one that fails stays where it was. key: steps are
 * kept under this name for as long as the window is open, across a reload.
 */
export function useHistory<Step>(apply: (step: Step, back: boolean) => Promise<Step>, key?: string) {
  const steps = (which: string): ShallowRef<Step[]> =>
    key ? useSessionStorage<Step[]>(`${key}.${which}`, [], { shallow: true }) : shallowRef<Step[]>([])
  const past = steps('past')
  const future = steps('future')

  function remember(step: Step) {
    past.value = [...past.value.slice(1 - LONGEST), step]
    future.value = []
  }
  async function move(from: ShallowRef<Step[]>, to: ShallowRef<Step[]>, back: boolean) {
    const step = from.value.at(-1)
    if (step === undefined) return
    from.value = from.value.slice(0, -1)
    try {
      to.value = [...to.value, await apply(step, back)]
    } catch (problem) {
      from.value = [...from.value, step]
      throw problem
    }
  }
  let queue: Promise<unknown> = Promise.resolve()
  /**
   * Do what is remembered, and take back or make again, one after another: steps lie in the order in which they were
   * made, however long each takes.
   */
  function inOrder<T>(work: () => Promise<T>): Promise<T> {
    const done = queue.then(work)
    queue = done.catch(() => undefined)
    return done
  }
  function forget() {
    past.value = []
    future.value = []
  }

  return {
    remember,
    forget,
    inOrder,
    undo: () => inOrder(() => move(past, future, true)),
    redo: () => inOrder(() => move(future, past, false)),
    undoable: computed(() => past.value.length > 0),
    redoable: computed(() => future.value.length > 0),
  }
}
