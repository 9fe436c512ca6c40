/** What can be said about a file instead of what was detected. */
interface Choice {
  value: string
  text: string
}
const named = (values: string[]): Choice[] => values.map((value) => ({ value, text: value }))
const detected: Choice = { value: 'detect', text: 'as detected' }

export const UNITS = [...named(['mm', 'cm', 'dm', 'm', 'inch', 'foot']), detected]
export const UPS = [...named(['+Y', '+Z', '+X', '-Y', '-Z', '-X']), detected]

/** Turns about up for a body that faces this way, already turned by so many degrees. */
export function turnsFor(facing: number | null | undefined, turned: number): Choice[] {
  const list: Choice[] = [{ value: '0', text: 'as it came' }]
  if (facing !== null && facing !== undefined && Math.abs(facing) > 0.5) list.push({ value: String(-facing + turned), text: 'turn it to face forward' })
  return [...list, ...[90, 180, -90].map((by) => ({ value: String(by), text: `turn by ${by}°` }))]
}
