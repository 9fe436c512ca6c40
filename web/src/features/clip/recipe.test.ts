import { describe, expect, it } from 'vitest'

import openapi from '../../../openapi.json'
import {
  added,
  changes,
  fresh,
  KINDS,
  measured,
  moved,
  removed,
  replaced,
  valueOf,
  withValue,
  type Kind,
  type Step,
} from './recipe'

interface StepSchema {
  properties: Record<string, { default: unknown }>
}

const steps = (['mirror', 'pace', 'hold'] as const).map((kind) => fresh(kind, 7))
const kinds = (list: Step[]) => list.map((step) => step.kind).join(' ')

describe('a list of steps', () => {
  it('is changed without changing the list there was', () => {
    const before = JSON.stringify(steps)
    expect(kinds(added(steps, fresh('loop', 0)))).toBe('mirror pace hold loop')
    expect(kinds(removed(steps, 1))).toBe('mirror hold')
    expect(kinds(replaced(steps, 0, fresh('backwards', 0)))).toBe('backwards pace hold')
    expect(JSON.stringify(steps)).toBe(before)
  })
  it('is put in another order, within its ends', () => {
    expect(kinds(moved(steps, 2, -1))).toBe('mirror hold pace')
    expect(kinds(moved(steps, 0, 2))).toBe('pace hold mirror')
    expect(kinds(moved(steps, 0, -1))).toBe('mirror pace hold')
    expect(kinds(moved(steps, 2, 5))).toBe('mirror pace hold')
  })
})

describe('a step', () => {
  it('begins with what is at hand', () => {
    expect(fresh('hold', 12)).toMatchObject({ at: 12, frames: 15 })
    const loop = { first: 8, last: 40, pose: 1, apart: 1, velocity: 1, feet: 0, heading: 0, cost: 0 }
    expect(fresh('loop', 0, loop)).toMatchObject({ first: 8, last: 40 })
  })
  it('has every value that the studio gives it, before the studio has', () => {
    const schemas = openapi.components.schemas as unknown as Record<string, StepSchema>
    for (const kind of Object.keys(KINDS) as Kind[]) {
      const { properties } = schemas[kind[0].toUpperCase() + kind.slice(1)]
      const usual = Object.fromEntries(Object.entries(properties).map(([name, about]) => [name, about.default]))
      const own = { hold: { at: 7, frames: 15 }, emphasis: { quick: 120 } }[kind as string]
      expect(fresh(kind, 7)).toEqual({ ...usual, ...own })
    }
  })
  it('takes values by their path', () => {
    const ground = { kind: 'ground', on: true, level: true, lean: null, height: null, drift: false, feet: true } as Step
    expect(valueOf(ground, 'lean.1')).toBeNull()
    const leaning = withValue(ground, 'lean.1', 3)
    expect([valueOf(leaning, 'lean.0'), valueOf(leaning, 'lean.1')]).toEqual([0, 3])
    expect(valueOf(withValue(leaning, 'lean.1', null), 'lean')).toBeNull()
    expect(valueOf(withValue(ground, 'drift', true), 'drift')).toBe(true)
  })
  it('is named, and every kind says what it does', () => {
    for (const about of Object.values(KINDS)) expect(about.label && about.does).toBeTruthy()
  })
})

describe('a measure', () => {
  it('is said in few digits', () => {
    expect(measured(0.8, '°')).toBe('0.8°')
    expect(measured(-0.04, 'cm')).toBe('0.0 cm')
    expect(measured(31.2, 'cm')).toBe('31 cm')
    expect(measured(4.966, 's')).toBe('4.97 s')
    expect(measured(7, '')).toBe('7')
    expect(measured(null, 'cm')).toBe('?')
  })
  it('changes where one sees it', () => {
    expect(changes({ name: 'lean', unit: '°', before: 2.1, after: 0 })).toBe(true)
    expect(changes({ name: 'lean', unit: '°', before: 0.01, after: 0.02 })).toBe(false)
  })
})
