import { shallowRef } from 'vue'

/** Something that can be done with what the pointer is at. key: how its shortcut is written for people. */
export interface MenuItem {
  label: string
  key?: string
  disabled?: boolean
  act: () => unknown
}
interface Shown {
  x: number
  y: number
  title: string
  /** What can be done at the moment; it may change while the menu is open. */
  items: () => MenuItem[]
}
const shown = shallowRef<Shown | null>(null)

/** The menu at the pointer, one for the whole page. */
export function useContextMenu() {
  /** Open it where a pointer is, or at what has the focus where a key asked for it. */
  function open(event: MouseEvent, title: string, items: () => MenuItem[]) {
    event.preventDefault()
    shown.value = { x: event.clientX, y: event.clientY, title, items }
  }
  const close = () => (shown.value = null)
  return { shown, open, close }
}
