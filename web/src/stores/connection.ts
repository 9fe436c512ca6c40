import { tryOnScopeDispose } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'

const AGAIN = 1000 // milliseconds between two tries

/** Whether the studio answers. Once it does not it is asked until it does, and whoever waits for that is told. */
export const useConnection = defineStore('connection', () => {
  const lost = ref(false)
  const waiting = new Set<() => unknown>()

  /** Any answer will do: whether the studio is well is another question. */
  const answers = () =>
    fetch('/api/health', { cache: 'no-store' }).then(
      () => true,
      () => false,
    )
  /** Something was not answered; is it the studio that is gone? */
  async function check(): Promise<boolean> {
    if (lost.value) return true
    if (await answers()) return false
    lost.value = true
    setTimeout(look, AGAIN)
    return true
  }
  async function look() {
    if (!(await answers())) return void setTimeout(look, AGAIN)
    lost.value = false
    for (const work of waiting) work()
  }
  /** Call work whenever the studio answers again. */
  function onReturn(work: () => unknown) {
    waiting.add(work)
    tryOnScopeDispose(() => waiting.delete(work))
  }
  return { lost, check, onReturn }
})
