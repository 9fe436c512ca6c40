import { onScopeDispose, reactive } from 'vue'
import { useHotkey } from 'vuetify'

import { SHORTCUTS, type Shortcut, type ShortcutGroup } from './shortcuts'

/** What a shortcut does; one that returns false leaves the key to whoever else waits for it. */
type Handler = (event: KeyboardEvent) => unknown
export type Handlers<Group extends ShortcutGroup> = Record<keyof (typeof SHORTCUTS)[Group]['shortcuts'], Handler>

/** Groups whose shortcuts work at the moment, those asked for last at the end. */
export const activeGroups = reactive<ShortcutGroup[]>([])

const NO_TEXT = ['button', 'checkbox', 'color', 'file', 'radio', 'range', 'reset', 'submit']
/** Keys that a control with the focus answers to by itself. */
const OWN_KEYS: Record<string, string[]> = {
  button: [' ', 'Enter'],
  a: ['Enter'],
  checkbox: [' '],
  radio: [' ', 'ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown'],
  range: ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Home', 'End', 'PageUp', 'PageDown'],
}

/** The button, box or link that was pressed by pointer last, until the focus goes elsewhere. */
let pressed: Element | null = null
addEventListener('pointerdown', ({ target }) => (pressed = controlAt(target)), true)
addEventListener('focusin', ({ target }) => target !== pressed && (pressed = null), true)
addEventListener('keydown', ({ key }) => key === 'Tab' && (pressed = null), true)

function controlAt(target: EventTarget | null): Element | null {
  const at = (target as Element | null)?.closest?.('input, textarea, select, [contenteditable], button, a, label')
  return (at instanceof HTMLLabelElement ? at.control : at) ?? null
}

/** Whether a key is meant for the control that has the focus: text that is typed, a choice, or a button's own key. */
export function isOwnKey(event: KeyboardEvent): boolean {
  const control = controlAt(event.target)
  if (!control) return false
  const name = control.tagName.toLowerCase()
  const kind = name === 'input' ? (control as HTMLInputElement).type : name
  if (name === 'input' ? !NO_TEXT.includes(kind) : !['button', 'a'].includes(name)) return true
  return !event.ctrlKey && !event.metaKey && (OWN_KEYS[kind] ?? OWN_KEYS.button).includes(event.key)
}

/**
 * Binds all shortcuts of a group for as long as the caller is there. They are not heard while text is typed,
 * nor (but for those of everywhere) beneath a dialog, nor once somebody else took the key.
 */
export function useShortcuts<Group extends ShortcutGroup>(group: Group, handlers: Handlers<Group>) {
  const shortcuts: Record<string, Shortcut> = SHORTCUTS[group].shortcuts
  const applies = (event: KeyboardEvent) => {
    if (event.defaultPrevented) return false
    const target = event.target as Element | null
    // Who pressed a button by pointer goes on with the view's keys; Space would only press it once more.
    const isOwn = isOwnKey(event) && !(event.key === ' ' && pressed && pressed === controlAt(target))
    if (group === 'Everywhere') return event.ctrlKey || event.metaKey || !isOwn
    return !isOwn && !target?.closest?.('[role="dialog"]')
  }
  for (const [name, handle] of Object.entries<Handler>(handlers))
    useHotkey(
      shortcuts[name].keys,
      (event) => {
        if (!applies(event) || handle(event) === false) return
        event.preventDefault()
        if (event.key === ' ') addEventListener('keyup', (up) => up.preventDefault(), { once: true, capture: true })
      },
      // Whether a key is heard is judged above: a slider that was moved has the focus, and takes no text.
      { inputs: true, preventDefault: false },
    )
  activeGroups.push(group)
  onScopeDispose(() => activeGroups.splice(activeGroups.lastIndexOf(group), 1))
}
