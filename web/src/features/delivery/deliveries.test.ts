import { expect, it } from 'vitest'

import { sameForm, USUAL } from './deliveries'

const rule = { style: 'spaces', pieces: [{ field: 'character', width: null }, { word: ' ' }] }

it('knows a form again, whatever the order of its keys and the fields that are not set', () => {
  const wanted = { ...USUAL, thinned: { degrees: 0.5, centimetres: 0.2 } }
  const other = { ...Object.fromEntries(Object.entries(USUAL).reverse()), thinned: { centimetres: 0.2, degrees: 0.5 } }
  const pieces = [
    { word: null, field: 'character', width: 2 },
    { word: ' ', field: null, width: null },
  ]
  expect(sameForm({ wanted, rule }, { wanted: other as never, rule: { style: 'spaces', pieces } })).toBe(true)
})
it('tells forms apart by their settings and by their names', () => {
  const form = { wanted: USUAL, rule }
  expect(sameForm(form, { ...form, wanted: { ...USUAL, unit: 'mm' } })).toBe(false)
  expect(sameForm(form, { ...form, rule: { ...rule, style: 'under_scores' } })).toBe(false)
  expect(sameForm(form, { ...form, rule: { ...rule, pieces: rule.pieces.slice(1) } })).toBe(false)
})
