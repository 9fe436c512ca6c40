import { computed, ref, type ComputedRef } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '@/api/client'
import { pendingNavigation } from '@/shared/navigation'
import { useLatest } from '@/shared/useLatest'
import { cellOf, type Cell } from '@/stores/board'
import { useChoice } from '@/stores/choice'

export type QueueRow = Schemas['QueueRow']
const isOpen = (row: QueueRow) => row.state !== 'accepted' && !row.note

/** Results that wait for a look, the worst first. asked: the id in the address, 0 where there is none. */
export function useReviewQueue(asked: ComputedRef<number>) {
  const router = useRouter()
  const choice = useChoice()
  const latest = useLatest()
  const rows = ref<QueueRow[] | null>(null)
  const id = computed(() => asked.value || rows.value?.[0]?.id)
  const index = computed(() => rows.value?.findIndex((row) => row.id === id.value) ?? -1)
  const current = computed(() => rows.value?.[index.value])
  const left = computed(() => rows.value?.filter(isOpen).length ?? 0)

  const ask = (cells: Cell[] | null) =>
    answer(client.POST('/api/renditions/queue', { body: { cells, everything: false } }))
  let loading: Promise<unknown> = Promise.resolve()
  function load() {
    const asking = latest(
      () => ask(choice.cells.length ? choice.cells : null),
      (now) => (rows.value = now),
    )
    loading = asking.catch(() => undefined)
    return asking
  }
  /**
   * The queue keeps its order while it is worked through; only what it says of each is looked up again, once it is
   * there: a queue that is just being loaded would be taken for superseded.
   */
  async function refresh() {
    await loading
    if (!rows.value?.length) return
    await latest(
      () => ask((rows.value ?? []).map(cellOf)),
      (now) => {
        const byId = new Map(now.map((row) => [row.id, row]))
        rows.value = (rows.value ?? []).map((row) => byId.get(row.id) ?? row)
      },
    )
  }
  function goTo(at: number) {
    const row = rows.value?.[at]
    const leaves = (pendingNavigation(router)?.name ?? 'review') !== 'review'
    if (row && !leaves) void router.replace(`/review/${row.id}`)
  }
  const step = (by: number) => goTo(Math.min(Math.max(index.value + by, 0), (rows.value?.length ?? 1) - 1))
  /** To the next result that nobody has judged yet. */
  function goOn() {
    const all = rows.value ?? []
    const next = [...all.slice(index.value + 1), ...all.slice(0, index.value)].findIndex(isOpen)
    if (next >= 0) goTo((index.value + 1 + next) % all.length)
  }
  return { rows, id, index, current, left, load, refresh, goTo, step, goOn }
}
