import { defineStore } from 'pinia'
import { ref } from 'vue'

import { Conflict, Refused, Unanswered } from '@/api/client'
import { useConnection } from './connection'

export interface Message {
  id: number
  text: string
  kind: 'said' | 'wrong'
  to?: { label: string; path: string }
  act?: { label: string; run: () => unknown }
}

/** Sentences for the person: what was done, and what could not be. Failures stay until dismissed. */
export const useMessages = defineStore('messages', () => {
  const list = ref<Message[]>([])
  let next = 1

  /** follow: a place to go to, or a way to take back what was done. */
  function say(text: string, follow?: Message['to'] | Message['act']) {
    const id = next++
    const act = follow && 'run' in follow ? follow : undefined
    const to = follow && 'path' in follow ? follow : undefined
    list.value.push({ id, text, kind: 'said', to, act })
    setTimeout(() => dismiss(id), 7000)
  }
  /** What those who see the page see by itself, for those who hear it. */
  const announced = ref('')
  const announce = (text: string) => (announced.value = text)
  /** Something to be decided, which waits for that. */
  function ask(text: string, act: Message['act']) {
    list.value.push({ id: next++, text, kind: 'said', act })
  }
  async function fail(problem: unknown) {
    if (problem instanceof DOMException && problem.name === 'AbortError') return
    // That is said once for everything.
    if (problem instanceof Unanswered && (await useConnection().check())) return
    const text = problem instanceof Refused ? problem.message : 'Something in the page failed; reload it and try again.'
    if (!(problem instanceof Refused)) console.error(problem)
    warn(text)
  }
  /** Something that stays true until the person has seen it. */
  function warn(text: string) {
    if (list.value.some((message) => message.text === text && !message.act)) return
    list.value.push({ id: next++, text, kind: 'wrong' })
  }
  /** Somebody else was before with a change; it can be made again on top of theirs. */
  function conflict(problem: Refused, again: () => unknown) {
    list.value.push({ id: next++, text: problem.message, kind: 'wrong', act: { label: 'Apply again', run: again } })
  }
  /**
   * Make a change; returns whether it was made. Where somebody else was before with the same, theirs is fetched (look),
   * so that it is seen before it is decided whose stays; work is then told that it is done again.
   */
  async function attempt(
    work: (again: boolean) => Promise<unknown>,
    look: () => Promise<unknown>,
    again = false,
  ): Promise<boolean> {
    try {
      await work(again)
      return true
    } catch (problem) {
      if (!(problem instanceof Conflict)) {
        fail(problem)
        return false
      }
      await look().catch(fail)
      conflict(problem, () => attempt(work, look, true))
      return false
    }
  }
  function dismiss(id: number) {
    list.value = list.value.filter((message) => message.id !== id)
  }
  return { list, announced, announce, say, ask, fail, warn, conflict, attempt, dismiss }
})
