import { computed, ref, shallowRef } from 'vue'

import { answer, client, Gone, type Schemas } from '@/api/client'
import { newer, onVersion } from '@/api/concurrency'
import { decodeFloats } from '@/api/motion'
import { useHistory } from '@/shared/useHistory'
import { useLatest } from '@/shared/useLatest'
import { useTrials } from '@/shared/useTrials'
import type { Positions } from '@/stage/motion'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useSplices } from '@/stores/splices'
import type { Made, Rearranged, Splice, SpliceRow } from './splices'

/** What a splice would come to while a hand draws at it. */
export interface Trial {
  made: Made
  positions: Positions
}

/** Of a long splice what is near a join is answered; it stands still before and after that. */
function whole({ made, points, begin, positions }: Schemas['SpliceTrialOut']): Positions {
  const near = decodeFloats(positions)
  const size = points * 3
  const count = near.length / size
  if (count === made.frames) return { frames: count, points, values: near }
  const values = new Float32Array(made.frames * size)
  values.set(near, begin * size)
  for (let frame = 0; frame < begin; frame++) values.set(near.subarray(0, size), frame * size)
  for (let frame = begin + count; frame < made.frames; frame++) values.set(near.subarray(-size), frame * size)
  return { frames: made.frames, points, values }
}

/** A splice: kept, changed, taken back and made again, and tried while a hand draws. */
export function useSplice(id: number, around: () => number) {
  const messages = useMessages()
  const row = shallowRef<SpliceRow | null>(null)
  const lost = ref(false)
  /** What is shown while changes are on their way, and what it comes to. */
  const draft = shallowRef<Splice | null>(null)
  const trial = shallowRef<Trial | null>(null)
  const path = { params: { path: { splice_id: id } } }
  const latest = useLatest()

  const load = () =>
    latest(
      () => answer(client.GET('/api/splices/{splice_id}', path)),
      (found) => (row.value = newer(row.value, found)),
    ).catch((problem: unknown) => {
      if (problem instanceof Gone && !row.value) lost.value = true
      else void messages.fail(problem)
    })
  const splice = computed<Splice | null>(() => draft.value ?? row.value?.splice ?? null)
  const made = computed<Made | null>(() => trial.value?.made ?? row.value?.made ?? null)
  const fps = computed(() => made.value?.fps ?? 30)

  const trials = useTrials(
    (wanted: Splice) =>
      answer(
        client.POST('/api/splices/{splice_id}/trial', { ...path, body: { splice: wanted, around: around() } }),
      ).then((found) => ({ made: found.made, positions: whole(found) })),
    (found) => (trial.value = found),
    () => undefined, // what cannot be made is said when it is to be kept
  )
  /** Show what a change would make, and keep nothing. */
  function attempt(wanted: Splice) {
    draft.value = wanted
    void trials.attempt(wanted)
  }
  /** Show what is kept again. */
  function letGo() {
    trials.settle()
    draft.value = null
    trial.value = null
  }
  /** Keep a splice; returns the one that it was before. */
  async function put(wanted: Splice, base?: number): Promise<Splice> {
    const before = row.value!.splice
    const headers = onVersion(base ?? row.value!)
    const found = await answer(client.PATCH('/api/splices/{splice_id}', { ...path, headers, body: { splice: wanted } }))
    row.value = found
    await Promise.all([useSplices().load(), useLibrary().look(found.clip_id)])
    return before
  }
  const history = useHistory<Splice>((step) => put(step), `armuto.splice.${id}`)
  let underWay = 0
  async function keep(wanted: Splice) {
    if (!row.value || JSON.stringify(wanted) === JSON.stringify(row.value.splice)) return letGo()
    const seen = underWay++ ? undefined : row.value.lock_version
    draft.value = wanted
    trials.settle()
    await messages.attempt(
      (again) => history.inOrder(async () => history.remember(await put(wanted, again ? undefined : seen))),
      load,
    )
    if (!--underWay) letGo()
  }
  /** Keep another order of spans, with what is joined anew where it meets best. */
  async function rearrange(wanted: Rearranged | null) {
    if (!wanted) return
    try {
      const body = { splice: wanted.splice, joins: wanted.joins }
      const found = wanted.joins.length
        ? (await answer(client.POST('/api/splices/{splice_id}/proposal', { ...path, body }))).splice
        : wanted.splice
      await keep(found)
    } catch (problem) {
      messages.fail(problem)
    }
  }
  const undo = () => history.undo().catch(messages.fail)
  const redo = () => history.redo().catch(messages.fail)
  const { undoable, redoable } = history
  return {
    row,
    lost,
    splice,
    made,
    fps,
    trial,
    load,
    attempt,
    letGo,
    keep,
    rearrange,
    undo,
    redo,
    undoable,
    redoable,
  }
}
