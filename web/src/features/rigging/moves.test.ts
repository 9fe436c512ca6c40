import { Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import { carried, mirroredMove, moveOf, shifted, stays, turnedOn, twinPiece, withComponent, type Move } from './moves'
import type { Definition, RigRow } from './rigs'

const definition = { origin: [0, 0, 0], side: [1, 0, 0], ahead: [0, 0, 1], moves: {} } as unknown as Definition
const still = moveOf(definition, 3, [0.1, 0.3, 0])
const near = (a: Vector3, b: number[]) => expect(a.distanceTo(new Vector3().fromArray(b))).toBeLessThan(1e-9)

describe('moves of pieces', () => {
  it('turns about where the pivot lies, and then moves', () => {
    const move = shifted(turnedOn(still, new Vector3(0, 0, 1), 90), new Vector3(0, 0, 0.5))
    near(carried(still, move, new Vector3(0.1, 0, 0)), [0.4, 0.3, 0.5])
    near(carried(move, still, new Vector3(0.4, 0.3, 0.5)), [0.1, 0, 0])
    expect(stays(still)).toBe(true)
    expect(stays(move)).toBe(false)
  })
  it('adds turns up, however far they go', () => {
    let move = still
    for (let n = 0; n < 25; n++) move = turnedOn(move, new Vector3(0, 0, 1), 10)
    // 250° one way are 110° the other.
    expect(move.turn[2]).toBeCloseTo(-110)
    const both = turnedOn(turnedOn(still, new Vector3(0, 1, 0), 90), new Vector3(0, 0, 1), 90)
    near(carried(still, both, new Vector3(0.1, 0.3, 1)), [0.1, 1.3, 0])
  })
  it('sets one component and leaves the others', () => {
    const move = withComponent({ ...still, offset: [1, 2, 3] }, 'offset', new Vector3(0, 0, 1), -4)
    expect(move.offset).toEqual([1, 2, -4])
  })
  it('mirrors a move so that a mirrored point goes to the mirror of where the point goes', () => {
    const move: Move = { offset: [0.2, 0.1, -0.3], turn: [30, -50, 70], pivot: [0.1, 0.3, 0.2] }
    const twin = mirroredMove(definition, move)
    const at = carried({ ...still, pivot: move.pivot }, move, new Vector3(0.4, 0.5, 0.6))
    near(carried({ ...still, pivot: twin.pivot }, twin, new Vector3(-0.4, 0.5, 0.6)), [-at.x, at.y, at.z])
  })
  it('finds the piece that mirrors another, and none for one in the middle', () => {
    const piece = (number: number, x: number, size = 0.2) => ({
      ...{ number, name: `${number}`, points: 9 },
      ...{ middle: [x, 0.1, 0], size: [size, 0.2, 0.3] },
    })
    const pieces = [piece(0, 0), piece(1, 0.1), piece(2, -0.1, 0.4), piece(3, -0.101)]
    const row = { facts: { pieces, low: [0, 0, 0], high: [0, 1.8, 0] } } as unknown as RigRow
    expect(twinPiece(row, definition, pieces[1])?.number).toBe(3)
    expect(twinPiece(row, definition, pieces[0])).toBeUndefined()
  })
})
