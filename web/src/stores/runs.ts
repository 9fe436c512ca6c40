import { defineStore } from 'pinia'
import { ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useRenditions } from './renditions'

/** Live counts and what is running. Asks often while something runs, seldom otherwise. */
export const useRuns = defineStore('runs', () => {
  const counts = ref<Schemas['Counts'] | null>(null)
  const most = ref(0) // how many ran at once since the studio was last idle
  let timer: ReturnType<typeof setTimeout> | undefined

  let newest = 0

  async function refresh() {
    clearTimeout(timer)
    const own = ++newest
    const renditions = useRenditions()
    let wait = 8000
    try {
      const before = counts.value?.running ?? 0
      const now = await answer(client.GET('/api/counts'))
      counts.value = now
      most.value = now.running ? Math.max(most.value, now.running) : 0
      // Work may be done before it was ever seen running: rows that still look busy are asked for too.
      if (before || now.running || renditions.rows.some(renditions.busy)) await renditions.load()
      if (now.running || renditions.rows.some(renditions.busy)) wait = 400
    } catch {
      // The next look will tell.
    }
    // Of several that overlap, only the newest goes on asking.
    if (own === newest) timer = setTimeout(refresh, wait)
  }
  return { counts, most, refresh }
})
