import { computed, ref, shallowRef, watch, type Ref } from 'vue'

import { answer, client } from '@/api/client'
import { useLatest } from '@/shared/useLatest'
import { useMessages } from '@/stores/messages'
import { mirroredMove, moveOf, twinPiece, type Move, type PieceShown } from './moves'
import type { Definition, Piece, RigRow, Triple } from './rigs'

/** The piece of the mesh that is pointed at, and the one in hand, which is moved. */
export function usePieces(
  id: number,
  row: Ref<RigRow | null>,
  definition: Ref<Definition | null>,
  keepMoves: (moves: Record<string, Move>) => Promise<void>,
) {
  const messages = useMessages()
  const pointed = shallowRef<Piece | null>(null)
  const taken = ref<number | null>(null)
  /** Where the piece in hand is turned about. */
  const pivot = shallowRef<Triple | null>(null)
  /** While it is drawn. */
  const draft = shallowRef<Move | null>(null)
  const both = ref(true)
  const latest = useLatest()
  watch(taken, (piece) => {
    pivot.value = draft.value = null
    if (piece === null) return
    const params = { path: { character_id: id }, query: { piece } }
    latest(
      () => answer(client.GET('/api/rigs/{character_id}/pivot', { params })),
      (found) => (pivot.value = found.at as Triple),
    ).catch(messages.fail)
  })
  // Read in another unit, it is met elsewhere.
  watch(
    () => [row.value?.facts.unit, row.value?.facts.up].join(),
    () => (taken.value = null),
  )
  const piece = computed(() => row.value?.facts.pieces.find(({ number }) => number === taken.value) ?? null)
  const kept = computed(() =>
    piece.value && pivot.value && row.value
      ? moveOf(row.value.definition as Definition, piece.value.number, pivot.value)
      : null,
  )
  const move = computed(() => draft.value ?? kept.value)
  const twin = computed(() =>
    piece.value && row.value && definition.value ? twinPiece(row.value, definition.value, piece.value) : undefined,
  )
  const shown = computed<PieceShown | null>(() => {
    if (piece.value && move.value) return { piece: piece.value, kept: kept.value, move: move.value }
    return pointed.value && { piece: pointed.value, kept: null, move: null }
  })
  const attempt = (wanted: Move) => void (draft.value = wanted)
  async function keep(wanted: Move) {
    if (!piece.value || !definition.value) return
    draft.value = wanted
    const moves: Record<string, Move> = { [piece.value.number]: wanted }
    if (both.value && twin.value) moves[twin.value.number] = mirroredMove(definition.value, wanted)
    await keepMoves(moves)
    if (draft.value === wanted) draft.value = null
  }
  const take = (number: number) => (taken.value = taken.value === number ? null : number)
  const letGo = () => (draft.value = null)
  return { pointed, taken, both, twin, move, shown, take, attempt, keep, letGo }
}
