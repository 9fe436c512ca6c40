import { useLocalStorage } from '@vueuse/core'

/** How lengths and frames are written and typed. Whatever is kept or sent stays in metres and counts from 0. */
export type LengthUnit = 'cm' | 'm' | 'inch'
/**
 * word: what it is called. perMetre: how many of it. digits: more than a centimetre needs. step: what an arrow key
 * moves by instead of 1 cm.
 */
const LENGTHS: Record<LengthUnit, { word: string; perMetre: number; digits: number; step: number }> = {
  cm: { word: 'centimetres', perMetre: 100, digits: 0, step: 1 },
  m: { word: 'metres', perMetre: 1, digits: 2, step: 0.01 },
  inch: { word: 'inches', perMetre: 100 / 2.54, digits: 0, step: 0.5 },
}
export const LENGTH_UNITS = Object.keys(LENGTHS) as LengthUnit[]
export const lengthWord = (unit: LengthUnit = lengthUnit.value) => LENGTHS[unit].word

const kept = useLocalStorage<LengthUnit>('armuto.lengths', 'cm')
const keptFirst = useLocalStorage<0 | 1>('armuto.first-frame', 0)
/** What a person chose; whatever else lies in the browser's storage is taken as nothing said. */
export const lengthUnit = {
  get value(): LengthUnit {
    return LENGTH_UNITS.includes(kept.value) ? kept.value : 'cm'
  },
  set value(unit: LengthUnit) {
    kept.value = unit
  },
}
/** The number of a clip's first frame. */
export const firstFrame = {
  get value(): 0 | 1 {
    return keptFirst.value === 1 ? 1 : 0
  },
  set value(number: 0 | 1) {
    keptFirst.value = number
  },
}

/** Without a sign before nothing. */
const plain = (value: number, digits: number) => value.toFixed(digits).replace(/^-(0(\.0+)?)$/, '$1')

/** Metres as a number in the chosen unit, with as many digits as would be shown of centimetres. */
export function lengthNumber(metres: number, digits = 1) {
  const chosen = LENGTHS[lengthUnit.value]
  return plain(metres * chosen.perMetre, digits + chosen.digits)
}
export const lengthText = (metres: number, digits = 1) => `${lengthNumber(metres, digits)} ${lengthUnit.value}`
/** Metres of what was typed in the chosen unit. */
export const metresOf = (typed: number) => typed / LENGTHS[lengthUnit.value].perMetre
/** What an arrow key moves by, in the chosen unit. */
export const lengthStep = () => LENGTHS[lengthUnit.value].step

/** A measure that the studio gives in centimetres, centimetres a second, or in something that stays as it is. */
export function quantity(value: number, unit: string, digits = 1): string {
  if (unit === 'cm' || unit === 'cm/s')
    return `${lengthNumber(value / 100, digits)} ${unit.replace('cm', lengthUnit.value)}`
  const text = plain(value, digits)
  return unit.startsWith('°') ? `${text}${unit}` : unit ? `${text} ${unit}` : text
}

export const frameNumber = (frame: number) => frame + firstFrame.value
/** The frame, counted from 0, that has the number which was typed. */
export const frameOf = (number: number) => number - firstFrame.value
export const frameRange = (first: number, last: number) => `${frameNumber(first)} to ${frameNumber(last)}`
export const frameSpan = (first: number, last: number) =>
  first === last ? `${frameNumber(first)}` : `${frameNumber(first)}–${frameNumber(last)}`

const NUMBER = String.raw`-?\d+(?:\.\d+)?`
const FRAMES = /\b(?:(frames? (?:are )?)(\d+)(?:( to |–| and )(\d+))?|(which has )(\d+)( to )(\d+))/gi
const LENGTH = new RegExp(String.raw`(?:(${NUMBER}) (to|and|→) )?(${NUMBER}) (cm|m)(\/s)?(?![\w])`, 'g')
const digitsIn = (text: string) => text.split('.')[1]?.length ?? 0

/**
 * A sentence of the studio, whose lengths are centimetres and whose frames count from 0, in the chosen way. What is
 * quoted in it is somebody's name for something, and stays.
 */
export function inUnits(sentence: string): string {
  if (lengthUnit.value === 'cm' && firstFrame.value === 0) return sentence
  return sentence
    .split(/(“[^”]*”)/)
    .map((part) => (part.startsWith('“') ? part : converted(part)))
    .join('')
}
function converted(part: string): string {
  /** said: the unit that the sentence has; metres are converted where lengths are not metric. */
  function length(text: string, said: string, rate = '') {
    if (said === 'cm') return quantity(Number(text), `cm${rate}`, digitsIn(text))
    if (lengthUnit.value !== 'inch') return `${text} m${rate}`
    return quantity(Number(text) * 100, `cm${rate}`, Math.max(0, digitsIn(text) - 1))
  }
  const number = (text: string, said: string) => length(text, said).split(' ')[0]
  return part
    .replace(FRAMES, (found: string) => found.replace(/\d+/g, (frame) => `${frameNumber(Number(frame))}`))
    .replace(LENGTH, (_, low: string | undefined, joined: string, high: string, said: string, rate = '') => {
      const from = low === undefined ? '' : `${number(low, said)} ${joined} `
      return `${from}${length(high, said, rate)}`
    })
}
