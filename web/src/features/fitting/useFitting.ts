import { computed, ref, shallowRef } from 'vue'

import { answer, client, Conflict, type Schemas } from '@/api/client'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import type { Wanted } from './stances'
import type { Fitting, Which } from './weave'

export type Edit = Schemas['EditIn']
export type Follows = Schemas['FollowsOut']

/** One fitting: what it holds, its changes one after another, and why each bone does or does not follow. */
export function useFitting(
  id: () => number,
  onStage: () => { clip_id?: number; frame?: number },
  changed: (before: Fitting) => unknown,
) {
  const fitting = shallowRef<Fitting | null>(null)
  const why = shallowRef(new Map<string, Follows>())
  const busy = ref(0)
  const path = () => ({ params: { path: { fitting_id: id() } } })
  const moving = () => ({ params: { ...path().params, query: onStage() } })
  let queue: Promise<unknown> = Promise.resolve()

  async function load() {
    fitting.value = await answer(client.GET('/api/fittings/{fitting_id}', path()))
  }
  /** Changes are made one after another, so that quick hands lose nothing. */
  function run(work: () => Promise<Fitting>): Promise<void> {
    busy.value += 1
    const done = queue.then(async () => {
      try {
        await show(await work())
      } catch (problem) {
        if (!(problem instanceof Conflict)) return useMessages().fail(problem)
        // What the other did is seen before it is decided whose stays.
        await look()
        useMessages().conflict(problem, () => run(work))
      } finally {
        busy.value -= 1
      }
    })
    queue = done
    return done
  }
  async function show(now: Fitting) {
    const before = fitting.value!
    fitting.value = now
    if (now.revision !== before.revision) await changed(before)
  }
  /** What somebody else has made of it, where anybody has. */
  async function look(): Promise<boolean> {
    const known = fitting.value
    if (!known) return false
    const headers = { 'If-None-Match': `"${known.revision}"` }
    const { data } = await client
      .GET('/api/fittings/{fitting_id}', { ...moving(), headers })
      .catch(() => ({ data: null }))
    if (!data || data.revision === known.revision || fitting.value !== known) return false
    await show(data)
    return true
  }
  function lookSoon() {
    if (busy.value || document.hidden) return
    queue = queue.then(async () => {
      if (await look()) useMessages().say(`Somebody else has changed this fitting: ${fitting.value!.how}.`)
    })
  }
  useChanges().on(['fittings'], lookSoon)
  const edit = (wanted: Partial<Edit> & Pick<Edit, 'op'>) =>
    run(() =>
      answer(
        client.POST('/api/fittings/{fitting_id}/edits', {
          ...path(),
          body: { mirror: false, add: false, ...onStage(), ...wanted },
        }),
      ),
    )
  const stand = (wanted: Wanted) => {
    const { clip_id, frame } = onStage()
    return run(() =>
      answer(
        client.POST('/api/fittings/{fitting_id}/stance', {
          ...path(),
          body: { side: 'target', mirror: false, ...wanted, show_clip_id: clip_id, show_frame: frame },
        }),
      ),
    )
  }
  async function takeFrom(file: File) {
    const form = new FormData()
    form.append('file', file)
    await run(() =>
      answer(
        client.POST('/api/fittings/{fitting_id}/file', {
          ...path(),
          body: form as never,
          bodySerializer: (body) => body as never,
        }),
      ),
    )
  }
  const undo = () =>
    fitting.value?.undo ? run(() => answer(client.POST('/api/fittings/{fitting_id}/undo', moving()))) : undefined
  const redo = () =>
    fitting.value?.redo ? run(() => answer(client.POST('/api/fittings/{fitting_id}/redo', moving()))) : undefined
  async function askWhy(clip?: number) {
    const found = await answer(
      client.GET('/api/fittings/{fitting_id}/follows', {
        params: { path: { fitting_id: id() }, query: { clip_id: clip } },
      }),
    ).catch(() => null)
    if (found) why.value = new Map(found.map((row) => [row.bone, row]))
  }
  const pairWith = (which: Which, bone: string) => fitting.value?.pairs.find((pair) => pair[which].includes(bone))
  return {
    fitting,
    why,
    busy: computed(() => busy.value > 0),
    load,
    edit,
    stand,
    takeFrom,
    undo,
    redo,
    askWhy,
    pairWith,
    run,
  }
}
