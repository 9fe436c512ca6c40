import { Vector3 } from 'three'

import type { Schemas } from '@/api/client'

export type RigRow = Schemas['RigOut']
export type Definition = Schemas['RigDefinitionData']
export type Piece = Schemas['RigPiece']
export type Problem = Schemas['RigProblem']
export type Section = Schemas['RigSection']
export type Triple = [number, number, number]
export const STEPS = {
  mesh: 'Mesh',
  landmarks: 'Landmarks',
  skeleton: 'Skeleton',
  weights: 'Weights',
  tryout: 'Try out',
}
export type Step = keyof typeof STEPS

/** How a mesh is read. plan: what kind of body it is, or null for what its shape says. */
export interface Reading {
  unit: number | null
  up: string | null
  plan: Definition['plan'] | null
  pose: Definition['pose']
}
export const readingOf = ({ unit, up, plan, pose }: Definition): Reading => ({ unit, up, plan, pose })

/** Poses of a mesh that had bones, by the names that they have on the page. */
export const POSES: Record<Definition['pose'], string> = {
  bound: 'as it was bound to its bones',
  standing: 'as its bones stand',
}
/** What kinds of bodies there are, by the names that they have on the page. */
export const PLANS: Record<Definition['plan'], string> = {
  'two-legged': 'two legs',
  'four-legged': 'four legs',
  winged: 'two legs and wings',
}
/** Landmarks that are joined by lines, from one to the next, on bodies that have them. */
const MIDDLE_LINES = [
  ['crown', 'chin', 'neck', 'groin'],
  ['nose', 'beak', 'skull', 'neck'],
  ['tail root', 'tail middle', 'tail tip'],
]
const SIDE_LINES = [
  ['neck', 'shoulder', 'elbow', 'wrist', 'hand'],
  ['wrist', 'wing tip'],
  ['wrist', 'front ball', 'front toes'],
  ['groin', 'hip', 'knee', 'ankle', 'ball', 'toes'],
  ['ankle', 'hind ball', 'hind toes'],
  ['ankle', 'heel'],
]
const FINGERS = ['thumb', 'index', 'middle', 'ring', 'little']
/** Confidence under which a proposal is doubtful, as the core has it. */
const DOUBTFUL = 0.5

export const sideOf = (name: string) => /^(left|right) /.exec(name)?.[1] ?? ''
export function twinOf(name: string): string {
  const side = sideOf(name)
  return side ? name.replace(side, side === 'left' ? 'right' : 'left') : name
}
export const isDoubtful = (definition: Definition, name: string) => {
  const { confidence } = definition.landmarks[name]
  return confidence !== null && confidence !== undefined && confidence < DOUBTFUL
}

export const hasFingers = ({ plan }: Definition) => plan === 'two-legged'
export const hasTail = ({ landmarks }: Definition) => 'tail root' in landmarks && 'tail tip' in landmarks

/** Landmarks of a side, or of the middle from the top down; a tail's come last, in their order. */
export function listed({ landmarks }: Definition, side: string): string[] {
  const names = Object.keys(landmarks).filter((name) => sideOf(name) === side)
  if (side) return names
  const ofTail = (name: string) => Number(name.startsWith('tail '))
  const up = (a: string, b: string) => (ofTail(a) ? 0 : landmarks[b].at[1] - landmarks[a].at[1])
  return names.sort((a, b) => ofTail(a) - ofTail(b) || up(a, b))
}

/** What is lost of a definition where another kind of body is proposed, in words. */
export function lostByKind({ landmarks, corrections, follows, naming }: Definition): string[] {
  return [
    Object.values(landmarks).some(({ confidence }) => confidence === null) && 'landmarks set by hand',
    corrections.length > 0 && 'corrections of weights',
    Object.keys(follows).length > 0 && 'what pieces follow',
    naming && 'names of bones',
  ].filter((word) => typeof word === 'string')
}

/** Lines between landmarks that are there, each with its side. */
export function linesOf(definition: Definition): { names: string[]; side: string }[] {
  const there = (names: string[]) => names.filter((name) => name in definition.landmarks)
  const out = MIDDLE_LINES.map((names) => ({ names: there(names), side: '' }))
  for (const side of ['left', 'right']) {
    const own = (name: string) => (name === 'neck' || name === 'groin' ? name : `${side} ${name}`)
    for (const names of SIDE_LINES) out.push({ names: there(names.map(own)), side })
    for (const finger of FINGERS)
      out.push({ names: there([`${side} wrist`, `${side} ${finger} root`, `${side} ${finger} tip`]), side })
  }
  return out.filter(({ names }) => names.length > 1)
}

/** What is looked at while landmarks are set: a hand lies palm up on a floor of its own. */
export const FOCUSES = { body: 'whole body', left: 'left hand', right: 'right hand' }
export type Focus = keyof typeof FOCUSES

/** A hand with its fingers up and its palm towards who looks: directions of unit length, and its landmarks.
 *
 * across: to the side of the thumb. The palm is square to fingers that are set; else it looks down where the arm is
 * raised and to the body where it hangs. */
export function handOf({ landmarks }: Definition, side: 'left' | 'right') {
  const at = (name: string) => new Vector3().fromArray(landmarks[name].at)
  const names = Object.keys(landmarks).filter((name) =>
    [`${side} wrist`, `${side} hand`, ...FINGERS.flatMap((f) => [`${side} ${f} root`, `${side} ${f} tip`])].includes(
      name,
    ),
  )
  const wrist = at(`${side} wrist`)
  const along = at(`${side} hand`).sub(wrist).normalize()
  const roots = FINGERS.slice(1).filter((finger) => `${side} ${finger} root` in landmarks)
  const across =
    roots.length > 1
      ? at(`${side} ${roots[0]} root`).sub(at(`${side} ${roots[roots.length - 1]} root`))
      : acrossUnset(along, at('chin').sub(wrist), side)
  across.addScaledVector(along, -across.dot(along)).normalize()
  const palm = new Vector3().crossVectors(along, across)
  if (side === 'right') palm.negate()
  return { along, across, palm, names }
}
function acrossUnset(along: Vector3, inwards: Vector3, side: 'left' | 'right') {
  const lowered = Math.abs(along.y)
  const palm = inwards.setY(0).normalize().multiplyScalar(lowered)
  palm.y -= 1 - lowered
  const across = new Vector3().crossVectors(palm, along)
  return side === 'right' ? across.negate() : across
}

/** How far landmarks lie apart as the body is seen from the front, and from its side, metres. */
export function widthsOf({ landmarks, side, ahead }: Definition): { front: number; side: number } {
  const width = (along: number[]) => {
    const places = Object.values(landmarks).map(({ at }) =>
      at.reduce((sum, value, axis) => sum + value * along[axis], 0),
    )
    return Math.max(...places) - Math.min(...places)
  }
  return { front: width(side), side: width(ahead) }
}

/** A point on the other side of the plane in which the body mirrors itself. */
export function mirrored({ origin, side }: Definition, point: Triple): Triple {
  const off = point.reduce((sum, value, axis) => sum + (value - origin[axis]) * side[axis], 0)
  return point.map((value, axis) => value - 2 * off * side[axis]) as Triple
}

/** With a landmark set by hand; its twin follows in the mirror where both are to. */
export function withLandmark(definition: Definition, name: string, at: Triple, both: boolean): Definition {
  const landmarks = { ...definition.landmarks, [name]: { at: [...at], confidence: null } }
  const twin = twinOf(name)
  if (both && twin !== name && twin in landmarks) landmarks[twin] = { at: mirrored(definition, at), confidence: null }
  return { ...definition, landmarks }
}

/** The body turned round: what was its left is its right. */
export function turnedRound(definition: Definition): Definition {
  const swapped = Object.keys(definition.landmarks).map((name) => [name, definition.landmarks[twinOf(name)]])
  return {
    ...definition,
    side: definition.side.map((value) => -value),
    ahead: definition.ahead.map((value) => -value),
    landmarks: Object.fromEntries(swapped) as Definition['landmarks'],
  }
}

/** How soft a piece is that is said to bend as cloth. */
const CLOTH = 0.6
/** What becomes of a piece: left out, follows a bone, bends with the body or as cloth, or as it is proposed. */
export function handlingOf(definition: Definition, piece: number): string {
  if (definition.omitted.includes(piece)) return 'omitted'
  if (piece in definition.softness) return 'cloth'
  const bone = definition.follows[piece]
  if (bone === undefined) return 'proposed'
  return bone === null ? 'bends' : `bone ${bone}`
}
export function withHandling(definition: Definition, piece: number, handling: string): Definition {
  const [follows, softness] = [{ ...definition.follows }, { ...definition.softness }]
  delete follows[piece]
  delete softness[piece]
  const omitted = definition.omitted.filter((number) => number !== piece)
  if (handling === 'omitted')
    return { ...definition, follows, softness, omitted: [...omitted, piece].sort((a, b) => a - b) }
  if (handling === 'bends') return { ...definition, omitted, softness, follows: { ...follows, [piece]: null } }
  if (handling === 'cloth') return { ...definition, omitted, follows, softness: { ...softness, [piece]: CLOTH } }
  if (handling.startsWith('bone '))
    return { ...definition, omitted, softness, follows: { ...follows, [piece]: handling.slice(5) } }
  return { ...definition, omitted, follows, softness }
}
