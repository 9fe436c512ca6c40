/** What a control is of, and what it is called. */
export interface Named {
  /** Where the value is in the thing it is of: its name, and behind a dot its place in a list. */
  path: string
  label: string
}
/** A number as people read it, and within what it may be changed. */
export interface NumberField extends Named {
  type: 'number' | 'frame'
  unit: string
  least: number
  most: number
  /** What an arrow key changes it by. */
  step: number
  /** So many of the unit that people read are one of the value. */
  scale?: number
  /** What is shown where nothing is said. */
  empty?: string
}
