import { defineStore } from 'pinia'
import { ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useRenditions } from './renditions'

/** Live counts and what is running. Asks often while something runs, seldom otherwise. */
export const useRuns = defineStore('runs', () => {
  const counts = ref<Schemas['Counts'] | null>(null)
  const most = ref(0) // how many ran at once since the studio was last idle
  let timer: ReturnType<typeof setTimeout> | undefined

  async function refresh() {
    clearTimeout(timer)
    try {
      const before = counts.value?.running ?? 0
      const now = await answer(client.GET('/api/counts'))
      counts.value = now
      most.value = now.running ? Math.max(most.value, now.running) : 0
      if (before || now.running) await useRenditions().load()
      timer = setTimeout(refresh, now.running ? 400 : 8000)
    } catch {
      timer = setTimeout(refresh, 8000)
    }
  }
  return { counts, most, refresh }
})
