import { expect, test } from 'vitest'

import { floorOf, heightOf, turnsFor, unitOf } from './choices'

test('a floor is said with what tells it, and doubted where nothing does or it lies far from zero', () => {
  const alone = floorOf({ feet: 0.025, sole: 0.025, floor: 0, clips: 1 }, null)
  expect([alone.value, alone.doubt]).toEqual(['0.0 cm', false])
  expect(alone.why).toContain('No other clip of this skeleton')
  const known = floorOf({ feet: 0.177, sole: 0.025, floor: 0.152, clips: 16 }, null)
  expect([known.value, known.doubt]).toEqual(['15.2 cm', true])
  expect(known.why).toContain('of which 2.5 cm are the soles, as 16 clips show; so the floor lies at 15.2 cm.')
  expect(floorOf({ feet: 0.1, sole: 0.03, floor: 0.07, clips: 0 }, null).why).not.toContain('clips show')
  expect(floorOf({ feet: 0.03, sole: 0.0301, floor: -0.0001, clips: 6 }, null).value).toBe('0.0 cm')
  expect(floorOf({}, null)).toMatchObject({ value: 'unknown', doubt: true })
  expect(floorOf({}, 0.05)).toMatchObject({ value: '5.0 cm', doubt: false })
})

test('a body that faces aside can be turned to the front, on top of what it is turned already', () => {
  expect(turnsFor(30, 90)[1]).toEqual({ value: '60', text: 'turn it to face forward' })
  expect(turnsFor(0.2, 0).map((choice) => choice.value)).toEqual(['0', '90', '180', '-90'])
  expect(turnsFor(null, 0)).toHaveLength(4)
})

test('a unit is told from its evidence', () => {
  expect(unitOf(['up is +Y: as told', 'the unit is cm: a body of 170 is then 1.70 m tall']).value).toBe('cm')
  expect(unitOf(['', 'the unit is one of its own: in dm a body …']).value).toBe('its own')
  expect(unitOf([]).value).toBe('…')
  expect(heightOf(1.684).now).toBe(1.684)
})
