import { Quaternion, Vector3 } from 'three'

import type { Schemas } from '@/api/client'
import { mirrored, type Definition, type Piece, type RigRow, type Triple } from './rigs'

export type Move = Schemas['RigMove']
/** A piece whose box is shown. kept: how it stands in the mesh that is shown, and move: how it would stand; null where
 * it is only pointed at. */
export interface PieceShown {
  piece: Piece
  kept: Move | null
  move: Move | null
}
/** What a person moves a piece along, and turns it about, in the words of the body. */
export const DIRECTIONS = ['side', 'up', 'ahead'] as const
export type Direction = (typeof DIRECTIONS)[number]

const vector = (at: number[]) => new Vector3().fromArray(at)
const MIRRORED = 0.03 // of the height, up to which two pieces mirror each other

/** How a piece is moved; pivot: where it would be turned about, where it is not moved yet. */
export const moveOf = (definition: Definition, piece: number, pivot: Triple): Move =>
  definition.moves[piece] ?? { offset: [0, 0, 0], turn: [0, 0, 0], pivot }
export const stays = ({ offset, turn }: Move) => [...offset, ...turn].every((value) => value === 0)

export function directionOf(definition: Definition, direction: Direction): Vector3 {
  return direction === 'up' ? new Vector3(0, 1, 0) : vector(definition[direction])
}

/** The turn of a move, whose axis is as long as the angle in degrees. */
export function turnOf({ turn }: Move): Quaternion {
  const axis = vector(turn)
  const angle = (axis.length() * Math.PI) / 180
  return angle ? new Quaternion().setFromAxisAngle(axis.normalize(), angle) : new Quaternion()
}
function axisOf(turn: Quaternion): Triple {
  const q = turn.w < 0 ? new Quaternion(-turn.x, -turn.y, -turn.z, -turn.w) : turn
  const axis = new Vector3(q.x, q.y, q.z)
  const sine = axis.length()
  if (sine < 1e-9) return [0, 0, 0]
  return axis.multiplyScalar(((2 * Math.atan2(sine, q.w)) / Math.PI) * (180 / sine)).toArray()
}

export const shifted = (move: Move, by: Vector3): Move => ({ ...move, offset: vector(move.offset).add(by).toArray() })
/** Turned on about an axis of unit length through where its pivot lies now. */
export function turnedOn(move: Move, axis: Vector3, degrees: number): Move {
  const by = new Quaternion().setFromAxisAngle(axis, (degrees * Math.PI) / 180)
  return { ...move, turn: axisOf(by.multiply(turnOf(move))) }
}
/** The same with one component of where it is moved to, in metres, or of its turn, in degrees, set. */
export function withComponent(move: Move, key: 'offset' | 'turn', along: Vector3, value: number): Move {
  const now = vector(move[key])
  return { ...move, [key]: now.addScaledVector(along, value - now.dot(along)).toArray() }
}
/** Where a point of a piece that is moved lies once it is moved otherwise. */
export function carried(before: Move, after: Move, point: Vector3): Vector3 {
  const [from, to] = [vector(before.pivot), vector(after.pivot)]
  const own = point.clone().sub(from).sub(vector(before.offset)).applyQuaternion(turnOf(before).invert()).add(from)
  return own.sub(to).applyQuaternion(turnOf(after)).add(to).add(vector(after.offset))
}

/** The piece that is the mirror image of another, if there is one. */
export function twinPiece({ facts }: RigRow, definition: Definition, piece: Piece): Piece | undefined {
  const there = vector(mirrored(definition, piece.middle as Triple))
  const near = MIRRORED * (facts.high[1] - facts.low[1])
  return facts.pieces.find(
    (other) =>
      other.number !== piece.number &&
      vector(other.middle).distanceTo(there) < near &&
      vector(other.size).distanceTo(vector(piece.size)) < near,
  )
}
/** The move of a piece's mirror image. */
export function mirroredMove(definition: Definition, move: Move): Move {
  const side = vector(definition.side)
  const flipped = (at: number[]) => vector(at).addScaledVector(side, -2 * vector(at).dot(side))
  // An axis of rotation is mirrored the other way round than a direction.
  const turn = flipped(move.turn).negate()
  return {
    offset: flipped(move.offset).toArray(),
    turn: turn.toArray(),
    pivot: mirrored(definition, move.pivot as Triple),
  }
}
