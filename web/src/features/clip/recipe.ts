import type { Schemas } from '@/api/client'
import type { Named, NumberField } from '@/shared/fields/numberField'
import { quantity } from '@/shared/units'

/** The steps of a clip's recipe: what they are called, what can be said of them, and how a list of them is changed. */
export type Recipe = Schemas['Recipe']
export type Step = Recipe['steps'][number]
export type Kind = Step['kind']
export type Effect = Schemas['EffectOut']
export type Proposal = Schemas['ProposalOut']
export type LoopCandidate = Schemas['LoopOut']
export type Value = number | boolean | string[] | number[] | null

export interface SwitchField extends Named {
  type: 'switch'
}
export interface LimbsField extends Named {
  type: 'limbs'
}
export type Field = NumberField | SwitchField | LimbsField

const percent = (path: string, label: string, least: number, most: number): NumberField => ({
  type: 'number',
  path,
  label,
  unit: '%',
  least,
  most,
  step: 5,
})
const seconds = (path: string, label: string, least: number, most: number, empty?: string): NumberField => ({
  type: 'number',
  path,
  label,
  unit: 's',
  least,
  most,
  step: 0.1,
  empty,
})
const frame = (path: string, label: string, empty?: string): NumberField => ({
  type: 'frame',
  path,
  label,
  unit: '',
  least: 0,
  most: 1e6,
  step: 1,
  empty,
})
const centimetres = (path: string, label: string, empty?: string): NumberField => ({
  type: 'number',
  path,
  label,
  unit: 'cm',
  least: -1e4,
  most: 1e4,
  step: 1,
  scale: 100,
  empty,
})
const degrees = (path: string, label: string, most: number, empty?: string): NumberField => ({
  type: 'number',
  path,
  label,
  unit: '°',
  least: -most,
  most,
  step: 1,
  empty,
})

interface About {
  label: string
  /** What it does, for whoever looks for it. */
  does: string
  fields: Field[]
}
export const KINDS: Record<Kind, About> = {
  spikes: {
    label: 'Mend spikes',
    does: 'single wrong frames of bones',
    fields: [{ type: 'number', path: 'times', label: 'beyond', unit: '×', least: 3, most: 50, step: 1 }],
  },
  gaps: {
    label: 'Bridge gaps',
    does: 'stretches in which a bone was lost',
    fields: [seconds('longest', 'up to', 0.05, 10)],
  },
  smooth: {
    label: 'Smooth',
    does: 'takes off the tremble of a capture',
    fields: [
      percent('strength', 'strength', 0, 100),
      {
        type: 'number',
        path: 'cutoff',
        label: 'up to',
        unit: 'Hz',
        least: 0.5,
        most: 60,
        step: 0.5,
        empty: 'measured',
      },
    ],
  },
  ground: {
    label: 'Ground',
    does: 'levels the floor, takes out drift, holds feet at rest',
    fields: [
      { type: 'switch', path: 'level', label: 'level' },
      { type: 'switch', path: 'drift', label: 'no drift' },
      { type: 'switch', path: 'feet', label: 'hold feet' },
      degrees('lean.0', 'rises to +X', 45, 'measured'),
      degrees('lean.1', 'to +Z', 45, 'measured'),
      centimetres('height', 'floor at', 'measured'),
    ],
  },
  steady: { label: 'Steady bones', does: 'lengths that change from frame to frame', fields: [] },
  loop: {
    label: 'Loop',
    does: 'the end goes on in the beginning',
    fields: [
      frame('first', 'from', 'start'),
      frame('last', 'to', 'end'),
      seconds('ease', 'eased over', 0, 10),
      { type: 'number', path: 'times', label: 'times', unit: '', least: 1, most: 1000, step: 1 },
    ],
  },
  pace: {
    label: 'Pace',
    does: 'quicker or slower, by a percentage, to a length, or along a curve',
    fields: [percent('percent', 'at', 25, 400), seconds('length', 'lasts', 0.05, 3600, 'free')],
  },
  emphasis: {
    label: 'Emphasis',
    does: 'limbs go farther or less far from how they are carried',
    fields: [
      percent('slow', 'carriage', 0, 200),
      percent('quick', 'gesture', 0, 200),
      percent('travel', 'travel', 0, 200),
      { type: 'limbs', path: 'limbs', label: 'limbs' },
    ],
  },
  mirror: { label: 'Mirror', does: 'left and right exchanged', fields: [] },
  backwards: { label: 'Backwards', does: 'from its end to its beginning', fields: [] },
  hold: {
    label: 'Hold',
    does: 'a pose that is kept for a while',
    fields: [
      frame('at', 'at'),
      { type: 'number', path: 'frames', label: 'for', unit: 'f', least: 1, most: 100_000, step: 1 },
    ],
  },
  path: {
    label: 'Path',
    does: 'the way over the ground straightened or bent',
    fields: [percent('straight', 'straightened', 0, 100), degrees('turn', 'turned by', 720)],
  },
  placement: {
    label: 'Placement',
    does: 'where its first frame stands, and which way it faces',
    fields: [centimetres('at.0', 'X'), centimetres('at.1', 'Z'), degrees('facing', 'faces', 360)],
  },
}

/** What the studio takes each step to be where nobody says anything else (a test holds it against the schema). */
const USUAL: { [K in Kind]: Extract<Step, { kind: K }> } = {
  gaps: { kind: 'gaps', on: true, longest: 1.5 },
  spikes: { kind: 'spikes', on: true, times: 8 },
  smooth: { kind: 'smooth', on: true, cutoff: null, strength: 100 },
  ground: { kind: 'ground', on: true, level: true, lean: null, height: null, drift: false, feet: true },
  steady: { kind: 'steady', on: true },
  loop: { kind: 'loop', on: true, first: null, last: null, ease: 0.3, times: 1 },
  pace: { kind: 'pace', on: true, percent: 100, keys: [], length: null },
  emphasis: { kind: 'emphasis', on: true, slow: 100, quick: 100, limbs: [], travel: 100 },
  mirror: { kind: 'mirror', on: true },
  backwards: { kind: 'backwards', on: true },
  hold: { kind: 'hold', on: true, at: 0, frames: 1 },
  path: { kind: 'path', on: true, straight: 0, turn: 0 },
  placement: { kind: 'placement', on: true, at: [0, 0], facing: 0 },
}

/**
 * A new step of a kind, with all its values: the page goes by them until the studio has answered. frame: that of the
 * take which is in view.
 */
export function fresh(kind: Kind, frame: number, loop?: LoopCandidate): Step {
  const step = { ...USUAL[kind] }
  if (step.kind === 'hold') return { ...step, at: frame, frames: 15 }
  if (step.kind === 'emphasis') return { ...step, quick: 120 }
  if (step.kind === 'loop' && loop) return { ...step, first: loop.first, last: loop.last }
  return step
}

export function valueOf(step: Step, path: string): Value {
  const [name, place] = path.split('.')
  const value = (step as unknown as Record<string, Value>)[name]
  return place === undefined ? value : ((value as number[] | null)?.[Number(place)] ?? null)
}
/** The step with another value. Of a list that is not said as a whole, places that nobody says are zero. */
export function withValue(step: Step, path: string, value: Value): Step {
  const [name, place] = path.split('.')
  if (place === undefined) return { ...step, [name]: value } as Step
  const now = (step as unknown as Record<string, number[] | null>)[name]
  const list = [...(now ?? [0, 0])]
  list[Number(place)] = (value as number | null) ?? 0
  const nothing = value === null && list.every((part) => part === 0)
  return { ...step, [name]: nothing ? null : list } as Step
}

export const added = (steps: Step[], step: Step): Step[] => [...steps, step]
export const replaced = (steps: Step[], at: number, step: Step): Step[] =>
  steps.map((own, n) => (n === at ? step : own))
export const removed = (steps: Step[], at: number): Step[] => steps.filter((_, n) => n !== at)
/** The steps with one of them so many places on, as far as there are places. */
export function moved(steps: Step[], at: number, by: number): Step[] {
  const to = Math.max(0, Math.min(steps.length - 1, at + by))
  const rest = removed(steps, at)
  return [...rest.slice(0, to), steps[at], ...rest.slice(to)]
}

/** A measure in few digits, with its unit. */
export function measured(value: number | null, unit: string): string {
  if (value === null) return '?'
  return quantity(value, unit, unit === '' ? 0 : Math.abs(value) < 10 ? (unit === 's' ? 2 : 1) : unit === 's' ? 1 : 0)
}
/** Whether a measure is another after a step, as far as its digits show. */
export const changes = (effect: Effect) => measured(effect.before, effect.unit) !== measured(effect.after, effect.unit)
