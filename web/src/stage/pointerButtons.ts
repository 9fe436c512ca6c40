import { MOUSE } from 'three'
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js'

/** What drawing with a button of the pointer does on a stage. */
export type Drag = 'turn' | 'move' | 'closer' | 'nothing'
export interface PointerButtons {
  left: Drag
  middle: Drag
  right: Drag
  /** Whether the wheel, turned away from the hand, goes farther instead of closer. */
  wheelAway: boolean
}
export const BUTTONS: Readonly<PointerButtons> = { left: 'turn', middle: 'closer', right: 'move', wheelAway: false }

const KEY = 'armuto.pointer'
const MEANS = { turn: MOUSE.ROTATE, move: MOUSE.PAN, closer: MOUSE.DOLLY, nothing: null }
const controlled = new Set<OrbitControls>()

/** As somebody chose them in this browser. */
export function pointerButtons(): PointerButtons {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Record<string, unknown>>
    const drag = (name: 'left' | 'middle' | 'right') =>
      Object.hasOwn(MEANS, String(kept[name])) ? (kept[name] as Drag) : BUTTONS[name]
    return { left: drag('left'), middle: drag('middle'), right: drag('right'), wheelAway: kept.wheelAway === true }
  } catch {
    return { ...BUTTONS }
  }
}

function apply(controls: OrbitControls) {
  const { left, middle, right, wheelAway } = pointerButtons()
  controls.mouseButtons = { LEFT: MEANS[left], MIDDLE: MEANS[middle], RIGHT: MEANS[right] }
  controls.zoomSpeed = wheelAway ? -1 : 1
}

/** Keep them for this browser; every stage that is open follows. */
export function choosePointerButtons(now: PointerButtons) {
  localStorage.setItem(KEY, JSON.stringify(now))
  controlled.forEach(apply)
}

/** Have a stage's camera follow them. Returns what ends it. */
export function followPointerButtons(controls: OrbitControls): () => void {
  apply(controls)
  controlled.add(controls)
  return () => controlled.delete(controls)
}
