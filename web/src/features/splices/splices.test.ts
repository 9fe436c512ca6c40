import { describe, expect, it } from 'vitest'

import {
  allPlaced,
  joinedAt,
  joinMoved,
  lanesOf,
  placeOf,
  rangeOf,
  sideView,
  spanAdded,
  spanDrawn,
  spanMoved,
  spanRemoved,
  spanSlid,
  usualJoin,
  withJoin,
  type Part,
  type Splice,
} from './splices'

const part = (key: string, frames: number): Part => ({
  key,
  id: Number(key),
  name: key,
  frames,
  seconds: (frames - 1) / 30,
  revision: 1,
  own: true,
})
const PARTS = [part('1', 100), part('2', 80), part('3', 60)]
const span = (clip: string, start: number | null, end: number | null) => ({
  clip,
  start: start === null ? null : start / 30,
  end: end === null ? null : end / 30,
  repeat: 1,
})
const splice: Splice = {
  name: 'night round',
  spans: [span('1', null, 70), span('2', 20, 60), span('3', 10, null)],
  joins: [
    { ...usualJoin(), overlap: 0.4 },
    { ...usualJoin(), turn: 30 },
  ],
}
const ends = (now: Splice) => now.spans.map((_, at) => rangeOf(now, at, PARTS, 30))

describe('splices', () => {
  it('knows where a join lies', () => {
    expect(placeOf(splice, 0, PARTS, 30)).toEqual([70, 20])
    const open = { ...splice, spans: [span('1', null, null), span('2', null, null)] }
    expect(placeOf(open, 0, PARTS, 30)).toEqual([99, 0])
    expect(placeOf(joinedAt(splice, 1, 44, 12, 30), 1, PARTS, 30)).toEqual([44, 12])
    expect(placeOf(splice, 0, PARTS, 30)).toEqual([70, 20]) // as it was
  })
  it('moves a join with both clips where they are, within what there is of them', () => {
    expect(placeOf(joinMoved(splice, 0, 7, PARTS, 30), 0, PARTS, 30)).toEqual([77, 27])
    expect(placeOf(joinMoved(splice, 0, -500, PARTS, 30), 0, PARTS, 30)).toEqual([50, 0])
    expect(placeOf(joinMoved(splice, 0, 500, PARTS, 30), 0, PARTS, 30)).toEqual([99, 49])
  })
  it('draws and slides spans within their clips', () => {
    expect(ends(spanDrawn(splice, 1, 'start', 75, PARTS, 30))[1]).toEqual([59, 60])
    expect(ends(spanDrawn(splice, 1, 'end', 500, PARTS, 30))[1]).toEqual([20, 79])
    expect(ends(spanSlid(splice, 1, 12, PARTS, 30))[1]).toEqual([32, 72])
    expect(ends(spanSlid(splice, 1, 500, PARTS, 30))[1]).toEqual([39, 79])
    expect(ends(spanSlid(splice, 1, -500, PARTS, 30))[1]).toEqual([0, 40])
  })
  it('asks for new places where spans meet others than before', () => {
    const moved = spanMoved(splice, 0, 1)!
    expect(moved.splice.spans.map((row) => row.clip)).toEqual(['2', '1', '3'])
    expect(moved.joins).toEqual([0, 1])
    expect(moved.splice.joins).toEqual([usualJoin(), usualJoin()])
    expect(moved.splice.spans.map((row) => row.start)).toEqual([null, null, null])
    expect(spanMoved(splice, 0, -1)).toBeNull()
    expect(spanMoved(splice, 2, 1)).toBeNull()
  })
  it('takes a span out, and keeps what is said of the other joins', () => {
    const first = spanRemoved(splice, 0)!
    expect(first.joins).toEqual([])
    expect(first.splice.joins.map((join) => join.turn)).toEqual([30])
    expect(first.splice.spans[0].start).toBeNull()
    const middle = spanRemoved(splice, 1)!
    expect(middle.joins).toEqual([0])
    expect(middle.splice.spans.map((row) => row.clip)).toEqual(['1', '3'])
    const last = spanRemoved(splice, 2)!
    expect(last.splice.joins.map((join) => join.overlap)).toEqual([0.4])
    expect(last.splice.spans[1].end).toBeNull()
    expect(spanRemoved({ ...splice, spans: splice.spans.slice(0, 1), joins: [] }, 0)).toBeNull()
  })
  it('goes on by a clip at a join of its own', () => {
    const longer = spanAdded(splice, 7)
    expect(longer.joins).toEqual([2])
    expect(longer.splice.spans[3]).toEqual({ clip: '7', start: null, end: null, repeat: 1 })
    expect(longer.splice.joins.map((join) => join.turn)).toEqual([0, 30, 0])
    expect(longer.splice.spans[2].end).toBeNull()
  })
  it('places all joins anew and keeps what is said of them', () => {
    const anew = allPlaced(splice)
    expect(anew.joins).toEqual([0, 1])
    expect(anew.splice.joins).toEqual(splice.joins)
    expect(anew.splice.spans.every((row) => row.start === null && row.end === null)).toBe(true)
  })
  it('lies in two lanes in turn, and in more where three are over each other', () => {
    const stretch = (begin: number, end: number) => ({ begin, end })
    expect(lanesOf([stretch(0, 50), stretch(40, 90), stretch(80, 120)])).toEqual([0, 1, 0])
    expect(lanesOf([stretch(0, 50), stretch(40, 60), stretch(45, 90)])).toEqual([0, 1, 2])
    expect(lanesOf([stretch(0, 50), stretch(50, 60), stretch(60, 90)])).toEqual([0, 1, 0])
  })
  it('changes a join alone', () => {
    const changed = withJoin(splice, 1, { feet: false })
    expect(changed.joins.map((join) => join.feet)).toEqual([true, false])
    expect(splice.joins[1].feet).toBe(true)
  })
})

describe('the side of a pose', () => {
  it('has what is ahead to the right, whatever it faces', () => {
    // Ahead along +Z with the left at +X; then turned by a quarter about up.
    expect(sideView([0, 1, 2], [1, 0])).toEqual([2, 1])
    const turned = sideView([0, 1, 2], [1, 0], Math.PI / 2)
    expect(turned[0]).toBeCloseTo(0)
    expect(sideView([2, 1, 0], [0, -1])[0]).toBeCloseTo(2)
    expect(sideView([0, 1, 2], [1, 0], 0, [0, -2])).toEqual([0, 1])
  })
})
