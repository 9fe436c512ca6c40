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

/** What becomes of a piece: left out, follows a bone, bends with the body, or as it is proposed. */
export function handlingOf(definition: Definition, piece: number): string {
  if (definition.omitted.includes(piece)) return 'omitted'
  const bone = definition.follows[piece]
  if (bone === undefined) return 'proposed'
  return bone === null ? 'bends' : `bone ${bone}`
}
export function withHandling(definition: Definition, piece: number, handling: string): Definition {
  const follows = { ...definition.follows }
  delete follows[piece]
  const omitted = definition.omitted.filter((number) => number !== piece)
  if (handling === 'omitted') return { ...definition, follows, omitted: [...omitted, piece].sort((a, b) => a - b) }
  if (handling === 'bends') return { ...definition, omitted, follows: { ...follows, [piece]: null } }
  if (handling.startsWith('bone '))
    return { ...definition, omitted, follows: { ...follows, [piece]: handling.slice(5) } }
  return { ...definition, omitted, follows }
}
