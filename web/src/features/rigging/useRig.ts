import { computed, ref, shallowRef } from 'vue'

import { answer, client, Gone, type Schemas } from '@/api/client'
import { newer, onVersion } from '@/api/concurrency'
import { useHistory } from '@/shared/useHistory'
import { useLatest } from '@/shared/useLatest'
import { useMessages } from '@/stores/messages'
import { lostByKind, type Definition, type Reading, type RigRow } from './rigs'

/** What is decided about the bones of a character's mesh: kept, changed, taken back and made again. */
export function useRig(id: number) {
  const messages = useMessages()
  const row = shallowRef<RigRow | null>(null)
  const lost = ref(false)
  /** Why there is nothing to decide about. */
  const refused = ref('')
  /** What is shown while a hand draws, and while changes are on their way. */
  const draft = shallowRef<Definition | null>(null)
  const path = { params: { path: { character_id: id } } }
  const latest = useLatest()

  const load = () =>
    latest(
      () =>
        row.value
          ? answer(client.GET('/api/rigs/{character_id}', path))
          : answer(client.POST('/api/rigs/{character_id}', path)),
      (found) => (row.value = newer(row.value, found)),
    ).catch((problem: unknown) => {
      if (row.value) return void messages.fail(problem)
      if (problem instanceof Gone) lost.value = true
      else refused.value = problem instanceof Error ? problem.message : String(problem)
    })
  const definition = computed(() => draft.value ?? ((row.value?.definition ?? null) as Definition | null))

  /** Show a change and keep nothing. */
  const attempt = (wanted: Definition) => void (draft.value = wanted)
  const letGo = () => void (draft.value = null)
  /** Keep a definition; returns the one before. */
  async function put(wanted: Definition, base?: number): Promise<Definition> {
    const before = row.value!.definition as Definition
    const headers = onVersion(base ?? row.value!)
    row.value = await answer(
      client.PATCH('/api/rigs/{character_id}', { ...path, headers, body: { definition: wanted } }),
    )
    return before
  }
  const history = useHistory<Definition>((step) => put(step), `armuto.rig.${id}`)
  let underWay = 0
  async function keep(wanted: Definition) {
    if (!row.value || JSON.stringify(wanted) === JSON.stringify(row.value.definition)) return letGo()
    const seen = underWay++ ? undefined : row.value.lock_version
    draft.value = wanted
    await messages.attempt(
      (again) => history.inOrder(async () => history.remember(await put(wanted, again ? undefined : seen))),
      load,
    )
    if (!--underWay) letGo()
  }
  /** Landmarks from the shape once more, where it is read otherwise or as another kind of body. */
  async function proposeAgain({ unit, up, plan, pose }: Reading) {
    try {
      const body = { unit, up, plan, pose }
      const found = await answer(client.POST('/api/rigs/{character_id}/proposal', { ...path, body }))
      const before = definition.value!
      const other = plan !== null && plan !== before.plan
      const unmoved = Object.keys(before.moves).length > 0 && !Object.keys(found.definition.moves).length
      const gone = [...(other ? lostByKind(before) : []), ...(unmoved ? ['moved pieces'] : [])]
      await keep(found.definition as Definition)
      if (gone.length) {
        const text = `Proposed anew${other ? ' as another kind of body' : ''}, without ${gone.join(', ')}.`
        messages.say(text, { label: 'Bring it back', run: undo })
      }
    } catch (problem) {
      messages.fail(problem)
    }
  }
  /** Landmarks of so many fingers of each hand; null for as many as its shape shows. */
  async function proposeFingers(count: 0 | 1 | 2 | 3 | 4 | 5 | null) {
    if (!definition.value) return
    try {
      const body = { definition: definition.value, count }
      const found = await answer(client.POST('/api/rigs/{character_id}/fingers', { ...path, body }))
      await keep(found.definition as Definition)
    } catch (problem) {
      messages.fail(problem)
    }
  }
  /** Pieces of the mesh moved before it is bound, and the landmarks with them. */
  async function keepMoves(moves: Record<string, Schemas['RigMove']>) {
    if (!definition.value) return
    try {
      const body = { definition: definition.value, moves }
      const found = await answer(client.POST('/api/rigs/{character_id}/moves', { ...path, body }))
      await keep(found.definition as Definition)
    } catch (problem) {
      messages.fail(problem)
    }
  }
  /** Done when what has been changed by now is kept, or refused. */
  const settled = () => history.inOrder(async () => undefined)
  const undo = () => history.undo().catch(messages.fail)
  const redo = () => history.redo().catch(messages.fail)
  const { undoable, redoable } = history
  return {
    row,
    lost,
    refused,
    definition,
    load,
    attempt,
    letGo,
    keep,
    proposeAgain,
    proposeFingers,
    keepMoves,
    settled,
    undo,
    redo,
    undoable,
    redoable,
  }
}
