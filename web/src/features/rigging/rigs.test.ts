import { describe, expect, it } from 'vitest'

import {
  handlingOf,
  handOf,
  hasFingers,
  hasTail,
  isDoubtful,
  linesOf,
  listed,
  lostByKind,
  mirrored,
  turnedRound,
  twinOf,
  widthsOf,
  withHandling,
  withLandmark,
  type Definition,
} from './rigs'

const definition = {
  plan: 'two-legged',
  landmarks: {
    neck: { at: [0, 1.4, 0], confidence: 0.8 },
    'left elbow': { at: [0.5, 1.2, 0.1], confidence: 0.3 },
    'right elbow': { at: [-0.5, 1.2, 0.1], confidence: 0.3 },
    'left wrist': { at: [0.8, 1.1, 0.1], confidence: null },
    'right wrist': { at: [-0.8, 1.1, 0.1], confidence: null },
  },
  origin: [0.1, 0, 0],
  side: [1, 0, 0],
  ahead: [0, 0, 1],
  options: { spine: 3, neck: 1, tail: 4, twists: 0, toes: true, root: true },
  omitted: [2],
  follows: { 3: 'head' },
  softness: { 4: 0.3 },
  corrections: [],
  unit: null,
  up: null,
} as unknown as Definition

describe('hands', () => {
  const at = (place: number[]) => ({ at: place, confidence: 0.5 })
  /** A raised left arm with its fingers spread ahead of and behind the middle one. */
  const landmarks = {
    chin: at([0, 1.5, 0]),
    'left wrist': at([0.7, 1.4, 0]),
    'left hand': at([0.9, 1.4, 0]),
    'left index root': at([0.78, 1.4, 0.03]),
    'left index tip': at([0.88, 1.4, 0.04]),
    'left little root': at([0.78, 1.4, -0.03]),
    'left little tip': at([0.85, 1.4, -0.04]),
    'left elbow': at([0.45, 1.4, 0]),
  }
  const mirroredHand = Object.fromEntries(
    Object.entries(landmarks).map(
      ([
        name,
        {
          at: [x, y, z],
        },
      ]) => [name.replace('left', 'right'), at([-x, y, z])],
    ),
  )
  it('lie palm up with their fingers up, whichever side they are of', () => {
    for (const [side, own] of [
      ['left', landmarks],
      ['right', mirroredHand],
    ] as const) {
      const hand = handOf({ ...definition, landmarks: own } as unknown as Definition, side)
      expect(hand.palm.y).toBeCloseTo(-1)
      expect(hand.along.x).toBeCloseTo(side === 'left' ? 1 : -1)
      expect(hand.across.z).toBeCloseTo(1)
      expect(hand.names).toHaveLength(6)
    }
  })
  it('whose fingers are not set look down where arms are raised, and to the body where they hang', () => {
    const raised = { chin: landmarks.chin, 'left wrist': at([0.7, 1.4, 0]), 'left hand': at([0.9, 1.4, 0]) }
    const hanging = { chin: landmarks.chin, 'left wrist': at([0.3, 0.9, 0]), 'left hand': at([0.3, 0.7, 0]) }
    const palm = (own: object) => handOf({ ...definition, landmarks: own } as unknown as Definition, 'left').palm
    expect(palm(raised).y).toBeCloseTo(-1)
    expect(palm(hanging).x).toBeCloseTo(-1)
  })
})

describe('landmarks', () => {
  it('have a twin on the other side, and those of the middle none but themselves', () => {
    expect([twinOf('left elbow'), twinOf('right index tip'), twinOf('neck')]).toEqual([
      'right elbow',
      'left index tip',
      'neck',
    ])
  })
  it('are mirrored in the plane of the body, wherever it stands', () => {
    expect(mirrored(definition, [0.5, 1.2, 0.1])[0]).toBeCloseTo(-0.3)
    expect(mirrored(definition, [0.5, 1.2, 0.1]).slice(1)).toEqual([1.2, 0.1])
  })
  it('set by hand take their twin along where both are to, and are doubtful no more', () => {
    const both = withLandmark(definition, 'left elbow', [0.6, 1.3, 0], true)
    expect(both.landmarks['right elbow'].at[0]).toBeCloseTo(-0.4)
    expect([isDoubtful(definition, 'left elbow'), isDoubtful(both, 'left elbow')]).toEqual([true, false])
    const alone = withLandmark(definition, 'left elbow', [0.6, 1.3, 0], false)
    expect(alone.landmarks['right elbow'].at).toEqual([-0.5, 1.2, 0.1])
    expect(definition.landmarks['left elbow'].at).toEqual([0.5, 1.2, 0.1])
  })
  it('are listed from the top down, those of a tail last from its root on', () => {
    const at = (y: number) => ({ at: [0, y, 0], confidence: 0.5 })
    const landmarks = {
      'tail root': at(0.6),
      'tail middle': at(0.9),
      'tail tip': at(1.2),
      neck: at(0.7),
      nose: at(0.8),
    }
    const animal = { ...definition, landmarks: { ...landmarks, 'left hip': at(0.5) } } as unknown as Definition
    expect(listed(animal, '')).toEqual(['nose', 'neck', 'tail root', 'tail middle', 'tail tip'])
    expect(listed(animal, 'left')).toEqual(['left hip'])
  })
  it('that are set by hand are lost with the rest that another kind of body has not', () => {
    expect(lostByKind(definition)).toEqual(['landmarks set by hand', 'what pieces follow'])
    const proposed = { ...definition, landmarks: {}, follows: {} } as unknown as Definition
    expect(lostByKind(proposed)).toEqual([])
  })
  it('are joined by lines along limbs, as far as they are there', () => {
    const lines = linesOf(definition)
    expect(lines.map(({ names }) => names)).toEqual([
      ['neck', 'left elbow', 'left wrist'],
      ['neck', 'right elbow', 'right wrist'],
    ])
  })
  it('are joined as the body has them', () => {
    const leg = ['left shoulder', 'left elbow', 'left wrist', 'left front ball', 'left front toes']
    const names = ['nose', 'skull', 'neck', 'tail root', 'tail tip', ...leg]
    const landmarks = Object.fromEntries(names.map((name) => [name, { at: [0, 0, 0], confidence: 1 }]))
    const hound = { ...definition, plan: 'four-legged', landmarks } as Definition
    expect(linesOf(hound).map((line) => line.names)).toEqual([
      ['nose', 'skull', 'neck'],
      ['tail root', 'tail tip'],
      ['neck', ...leg.slice(0, 3)],
      leg.slice(2),
    ])
    expect([hasTail(hound), hasFingers(hound), hasTail(definition), hasFingers(definition)]).toEqual([
      true,
      false,
      false,
      true,
    ])
  })
  it('change sides where the body looks the other way', () => {
    const turned = turnedRound(definition)
    expect(turned.landmarks['left elbow'].at[0]).toBe(-0.5)
    expect([turned.side[0], turned.ahead[2]]).toEqual([-1, -1])
    expect(turnedRound(turned).landmarks).toEqual(definition.landmarks)
  })
})

describe('a body', () => {
  it('is as wide from each side as it is, wherever it looks', () => {
    const at = (...places: number[][]) => Object.fromEntries(places.map((place, n) => [`p${n}`, { at: place }]))
    const landmarks = at([-0.1, 0, -0.6], [0.1, 0.7, 0.4])
    expect(widthsOf({ ...definition, landmarks } as Definition).front).toBeCloseTo(0.2)
    expect(widthsOf({ ...definition, landmarks } as Definition).side).toBeCloseTo(1)
    const half = Math.SQRT1_2
    const turned = { ...definition, landmarks, side: [half, 0, -half], ahead: [half, 0, half] } as Definition
    expect(widthsOf(turned).front).toBeCloseTo(0.8 * half)
  })
})

describe('pieces', () => {
  it('are left out, follow a bone, bend as a body or as cloth, or are as proposed', () => {
    const now = [1, 2, 3, 4].map((piece) => handlingOf(definition, piece))
    expect(now).toEqual(['proposed', 'omitted', 'bone head', 'cloth'])
    for (const handling of ['omitted', 'bends', 'cloth', 'bone chest', 'proposed'])
      for (const piece of [1, 2, 3, 4])
        expect(handlingOf(withHandling(definition, piece, handling), piece)).toBe(handling)
    expect(handlingOf(withHandling(definition, 2, 'bends'), 3)).toBe('bone head')
  })
})
