import { afterEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import {
  firstFrame,
  frameNumber,
  frameOf,
  frameSpan,
  inUnits,
  lengthNumber,
  lengthText,
  lengthUnit,
  metresOf,
  quantity,
} from './units'

afterEach(() => {
  lengthUnit.value = 'cm'
  firstFrame.value = 0
})

describe('lengths', () => {
  it('are written and read in the chosen unit', () => {
    expect([lengthText(1.724), lengthText(1.724, 0), lengthText(-0.0004)]).toEqual(['172.4 cm', '172 cm', '0.0 cm'])
    lengthUnit.value = 'm'
    expect([lengthText(1.724), lengthText(1.724, 0)]).toEqual(['1.724 m', '1.72 m'])
    lengthUnit.value = 'inch'
    expect([lengthText(1.724), lengthText(1.724, 0)]).toEqual(['67.9 inch', '68 inch'])
    expect(metresOf(Number(lengthNumber(0.0254, 1)))).toBeCloseTo(0.0254)
  })
  it('that the studio measured come along, angles stay', () => {
    lengthUnit.value = 'm'
    expect([quantity(42, 'cm/s', 0), quantity(3.21, 'cm'), quantity(12.3, '°')]).toEqual([
      '0.42 m/s',
      '0.032 m',
      '12.3°',
    ])
    expect(quantity(4.5, 's', 2)).toBe('4.50 s')
  })
  it('fall back to centimetres for whatever else the browser keeps', async () => {
    lengthUnit.value = 'furlong' as never
    await nextTick()
    expect(lengthText(1)).toBe('100.0 cm')
  })
})

describe('frames', () => {
  it('are numbered from 0 or 1', () => {
    expect([frameNumber(0), frameOf(7), frameSpan(3, 3), frameSpan(3, 9)]).toEqual([0, 7, '3', '3–9'])
    firstFrame.value = 1
    expect([frameNumber(0), frameOf(7), frameSpan(3, 3), frameSpan(3, 9)]).toEqual([1, 6, '4', '4–10'])
  })
})

describe('a sentence of the studio', () => {
  const SENTENCES = [
    'The left foot slides at 3.2 cm/s while it stands (source 0.4 cm/s).',
    'It takes it from 4.1 to 0.3 cm.',
    'walk: frames 3 to 900 are not a range of its take, which has 0 to 149.',
    'crate: it has no frame 12; its frames are 0 to 11.',
    '“frame 5, 3 cm”: left hand at frame 5',
    'It jerks in 12 frames, by 40° and at 30 fps.',
    'It could loop from frame 25 to 124, whose poses are 1.6° apart.',
    'left foot rests in both, slower by 1.2 m/s',
  ]
  it('stays as it is where nothing else was chosen', () => {
    expect(SENTENCES.map(inUnits)).toEqual(SENTENCES)
  })
  it('is said in the chosen unit, but for what is quoted', () => {
    lengthUnit.value = 'inch'
    expect(SENTENCES.map(inUnits).filter((said, n) => said !== SENTENCES[n])).toEqual([
      'The left foot slides at 1.3 inch/s while it stands (source 0.2 inch/s).',
      'It takes it from 1.6 to 0.1 inch.',
      'left foot rests in both, slower by 47 inch/s',
    ])
  })
  it('is said by the chosen numbers of frames', () => {
    firstFrame.value = 1
    expect(SENTENCES.map(inUnits).filter((said, n) => said !== SENTENCES[n])).toEqual([
      'walk: frames 4 to 901 are not a range of its take, which has 1 to 150.',
      'crate: it has no frame 13; its frames are 1 to 12.',
      '“frame 5, 3 cm”: left hand at frame 6',
      'It could loop from frame 26 to 125, whose poses are 1.6° apart.',
    ])
  })
})
