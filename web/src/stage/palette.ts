import { Color } from 'three'

/** The stage's colours, read from the page so that both themes hold. */
export interface Palette {
  ink: Color
  left: Color
  right: Color
  paper: Color
  hairline: Color
  accent: Color
}

export function palette(element: Element): Palette {
  const style = getComputedStyle(element)
  const read = (name: string) => new Color(`rgb(${style.getPropertyValue(`--v-theme-${name}`).trim() || '31,42,55'})`)
  return {
    ink: read('on-surface'),
    left: read('left'),
    right: read('right'),
    paper: read('background'),
    hairline: read('hairline'),
    accent: read('primary'),
  }
}

/** The same colours nearly gone in the paper: of what was there before, or comes after. share: of the paper. */
export function faint(own: Palette, share = 0.62): Palette {
  const pale = (colour: Color) => colour.clone().lerp(own.paper, share)
  return { ...own, ink: pale(own.ink), left: pale(own.left), right: pale(own.right) }
}
