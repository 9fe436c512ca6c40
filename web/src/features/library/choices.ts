import type { Schemas } from '@/api/client'
import { lengthText } from '@/shared/units'

/** What can be said about a file instead of what was detected. */
interface Choice {
  value: string
  text: string
}
const named = (values: string[]): Choice[] => values.map((value) => ({ value, text: value }))
const detected: Choice = { value: 'detect', text: 'as detected' }

export const UNITS = [...named(['mm', 'cm', 'dm', 'm', 'inch', 'foot']), detected]
export const UPS = [...named(['+Y', '+Z', '+X', '-Y', '-Z', '-X']), detected]

/** A height that can be said instead of a unit, within what can be one. now, least and most: metres. */
export const heightOf = (now: number | undefined) => ({
  label: 'or its height',
  now,
  least: 0.01,
  most: 1000,
})

export type Ground = Schemas['GroundOut']
/** Where a clip's floor is, why, and what else can be said of it. said: where a person says that it is. */
export function floorOf(ground: Partial<Ground> | undefined, said: number | null) {
  const { feet = null, sole = null, floor = null, clips = 0 } = ground ?? {}
  const alone = clips === 1
  const measured = floor === null ? 'as measured in each transfer' : `as measured, ${lengthText(floor)}`
  let why = 'No foot rests for long enough to say where the floor is.'
  if (feet !== null && sole !== null && floor !== null) {
    why = `Feet rest with their lowest joint ${lengthText(feet)} above zero`
    if (alone)
      why += '. No other clip of this skeleton tells how thick its soles are, so the floor is taken to be at zero.'
    else
      why += `, of which ${lengthText(sole)} are the soles${clips ? `, as ${clips} clips show` : ''}; so the floor lies at ${lengthText(floor)}.`
  } else if (feet !== null)
    why = `Feet rest with their lowest joint ${lengthText(feet)} above zero; how thick their soles are is not known.`
  return {
    value: said !== null ? lengthText(said) : floor !== null ? lengthText(floor) : 'unknown',
    why: said !== null ? `${why} It is said to lie at ${lengthText(said)}.` : why,
    doubt: said === null && (floor === null || Math.abs(floor) > 0.03),
    choices: [
      { value: 'measured', text: measured },
      { value: '0', text: 'at zero' },
    ],
  }
}

/** What was detected of a file's unit, as its skeleton keeps it. */
export function unitOf(evidence: string[]) {
  const why = evidence[1] ?? ''
  const otherwise = 'With another unit the file is read again, and waits in the intake; this clip stays as it is.'
  return {
    value: /unit is ([^:]+):/.exec(why)?.[1].replace('one of its own', 'its own') ?? '…',
    why: `${why}. ${otherwise}`,
  }
}

/** What was detected of a file's up axis, as its skeleton keeps it. */
export function upOf(evidence: string[]) {
  const [why = '', , ...rest] = evidence
  const otherwise = 'With another axis the file is read again, and waits in the intake; this clip stays as it is.'
  return {
    value: /up is ([+-][XYZ])/.exec(why)?.[1] ?? '…',
    why: `${[why, ...rest].filter(Boolean).join('. ')}. ${otherwise}`,
  }
}

/** Turns about up for a body that faces this way, already turned by so many degrees. */
export function turnsFor(facing: number | null | undefined, turned: number): Choice[] {
  const list: Choice[] = [{ value: '0', text: 'as it came' }]
  if (facing !== null && facing !== undefined && Math.abs(facing) > 0.5)
    list.push({ value: String(-facing + turned), text: 'turn it to face forward' })
  return [...list, ...[90, 180, -90].map((by) => ({ value: String(by), text: `turn by ${by}°` }))]
}
