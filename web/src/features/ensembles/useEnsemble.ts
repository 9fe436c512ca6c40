import { computed, ref, shallowRef, watch, type Ref } from 'vue'

import { answer, client, Gone } from '@/api/client'
import { newer, onVersion } from '@/api/concurrency'
import { useHistory } from '@/shared/useHistory'
import { useLatest } from '@/shared/useLatest'
import { useEnsembles } from '@/stores/ensembles'
import { useMessages } from '@/stores/messages'
import {
  castingBefore,
  ensembleBefore,
  type CastingChange,
  type CastingRow,
  type EnsembleChange,
  type EnsembleRow,
  type Measures,
} from './ensembles'

type Step = { ensemble: EnsembleChange } | { casting: number; change: CastingChange }

/** An ensemble and the casting that is looked at: kept, changed, taken back and made again. casting: its number, 0 for
 * the recording. */
export function useEnsemble(id: number, casting: Ref<number>) {
  const messages = useMessages()
  const row = shallowRef<EnsembleRow | null>(null)
  const cast = shallowRef<CastingRow | null>(null)
  const measures = shallowRef<Measures | null>(null)
  const lost = ref(false)
  const path = { params: { path: { ensemble_id: id } } }
  const latest = useLatest()
  const latestCast = useLatest()
  const castPath = () => ({ params: { path: { casting_id: casting.value } } })

  const load = () =>
    latest(
      () => answer(client.GET('/api/ensembles/{ensemble_id}', path)),
      (found) => (row.value = newer(row.value, found)),
    ).catch((problem: unknown) => {
      if (problem instanceof Gone && !row.value) lost.value = true
      else void messages.fail(problem)
    })
  /** What the casting that is looked at says, and how well it does. */
  const loadCast = () => {
    if (!casting.value) {
      cast.value = measures.value = null
      return Promise.resolve()
    }
    return latestCast(
      () =>
        Promise.all([
          answer(client.GET('/api/ensembles/castings/{casting_id}', castPath())),
          answer(client.GET('/api/ensembles/castings/{casting_id}/measures', castPath())).catch(() => null),
        ]),
      ([found, measured]) => {
        cast.value = cast.value?.id === found.id ? newer(cast.value, found) : found
        measures.value = measured
      },
    ).catch((problem: unknown) => {
      if (problem instanceof Gone) casting.value = 0
      else void messages.fail(problem)
    })
  }
  const refresh = () => Promise.all([load(), loadCast()])
  watch(casting, () => {
    cast.value = measures.value = null
    void loadCast()
  })

  /** Carry a step out; returns the one that takes it back. */
  async function put(step: Step, own = false): Promise<Step> {
    if ('ensemble' in step) {
      const before = ensembleBefore(row.value!, step.ensemble)
      const headers = own ? onVersion(row.value!) : {}
      row.value = await answer(client.PATCH('/api/ensembles/{ensemble_id}', { ...path, headers, body: step.ensemble }))
      await Promise.all([useEnsembles().load(), loadCast()])
      return { ensemble: before }
    }
    const at = { params: { path: { casting_id: step.casting } } }
    const now = cast.value?.id === step.casting ? cast.value : null
    const found = now ?? (await answer(client.GET('/api/ensembles/castings/{casting_id}', at)))
    const headers = own ? onVersion(found) : {}
    await answer(client.PATCH('/api/ensembles/castings/{casting_id}', { ...at, headers, body: step.change }))
    // What it says and how well it does are shown together, so that the stage is drawn once.
    if (casting.value === step.casting) await loadCast()
    else casting.value = step.casting
    await load()
    return { casting: step.casting, change: castingBefore(found, step.change) }
  }
  const history = useHistory<Step>((step) => put(step), `armuto.ensemble.${id}`)
  const busy = ref(0)
  async function keep(step: Step) {
    busy.value++
    await messages.attempt((again) => history.inOrder(async () => history.remember(await put(step, !again))), refresh)
    busy.value--
  }
  const change = (wanted: EnsembleChange) => keep({ ensemble: wanted })
  /** A prop that is the mesh of a file; taken back as any change is. */
  async function bring(file: File) {
    busy.value++
    await messages.attempt(
      (again) =>
        history.inOrder(async () => {
          const before = ensembleBefore(row.value!, { props: [] })
          const body = new FormData()
          body.append('file', file)
          const headers = again ? {} : onVersion(row.value!)
          row.value = await answer(
            client.POST('/api/ensembles/{ensemble_id}/props', {
              ...path,
              headers,
              body: body as never,
              bodySerializer: (form) => form as never,
            }),
          )
          history.remember({ ensemble: before })
          await Promise.all([useEnsembles().load(), loadCast()])
        }),
      refresh,
    )
    busy.value--
  }
  const recast = (wanted: CastingChange) => keep({ casting: casting.value, change: wanted })
  /** Somebody for every performer; the new casting is looked at. */
  async function play(characters: Record<string, number>) {
    busy.value++
    try {
      const made = await answer(
        client.POST('/api/ensembles/{ensemble_id}/castings', { ...path, body: { cast: characters, name: '' } }),
      )
      await load()
      casting.value = made.id
    } catch (problem) {
      messages.fail(problem)
    }
    busy.value--
  }
  async function remove() {
    try {
      await answer(client.DELETE('/api/ensembles/castings/{casting_id}', castPath()))
      casting.value = 0
      await load()
    } catch (problem) {
      messages.fail(problem)
    }
  }
  const undo = () => history.undo().catch(messages.fail)
  const redo = () => history.redo().catch(messages.fail)
  const { undoable, redoable } = history
  const frames = computed(() => (row.value ? row.value.last - row.value.first + 1 : 1))
  return {
    row,
    cast,
    measures,
    lost,
    frames,
    busy,
    load,
    loadCast,
    refresh,
    change,
    bring,
    recast,
    play,
    remove,
    undo,
    redo,
    undoable,
    redoable,
  }
}
