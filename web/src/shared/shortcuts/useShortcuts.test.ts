import { mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'

import { ariaOf, labelOf, SHORTCUTS, type Shortcut, type ShortcutGroup } from './shortcuts'
import { activeGroups, useShortcuts, type Handlers } from './useShortcuts'

let mounted: ReturnType<typeof mount>[] = []
afterEach(() => {
  mounted.forEach((view) => view.unmount())
  mounted = []
})
/** A view with these shortcuts and some controls in it. */
function view<Group extends ShortcutGroup>(group: Group, handlers: Handlers<Group>) {
  const controls = [
    h('input', { id: 'text' }),
    h('input', { id: 'range', type: 'range' }),
    h('input', { id: 'box', type: 'checkbox' }),
    h('button', { id: 'button' }),
    h('div', { role: 'dialog' }, [h('button', { id: 'inside' })]),
  ]
  const made = mount(
    defineComponent({
      setup() {
        useShortcuts(group, handlers)
        return () => h('section', controls)
      },
    }),
    { attachTo: document.body },
  )
  mounted.push(made)
  return made
}
function press(key: string, on: Element | string = document.body, more: KeyboardEventInit = {}) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  ;(typeof on === 'string' ? document.querySelector(on)! : on).dispatchEvent(event)
  return event.defaultPrevented
}
const history = () => ({ undo: vi.fn(), redo: vi.fn() })

describe('shortcuts', () => {
  it('do what the view says, with their modifiers and no others', () => {
    const does = history()
    view('Intake', does)
    expect(press('z', document.body, { ctrlKey: true })).toBe(true)
    press('Z', document.body, { ctrlKey: true, shiftKey: true })
    press('z')
    expect([does.undo.mock.calls.length, does.redo.mock.calls.length]).toEqual([1, 1])
  })
  it('are not heard while text is typed or beneath a dialog, but after a slider was moved or a button pressed', () => {
    const does = history()
    view('Intake', does)
    for (const where of ['#text', '#inside']) expect(press('z', where, { ctrlKey: true })).toBe(false)
    for (const where of ['#range', '#box', '#button']) expect(press('z', where, { ctrlKey: true })).toBe(true)
    expect(does.undo).toHaveBeenCalledTimes(3)
  })
  it('leave a control its own keys', () => {
    const does = { play: vi.fn(), back: vi.fn(), on: vi.fn(), first: vi.fn(), last: vi.fn() }
    view('Playing', does)
    for (const [key, where] of [
      [' ', '#button'],
      [' ', '#box'],
      ['ArrowLeft', '#range'],
      ['Home', '#range'],
    ])
      press(key, where)
    expect([does.play, does.back, does.first].map((spy) => spy.mock.calls.length)).toEqual([0, 0, 0])
    press(' ', '#range')
    press('ArrowLeft', '#button')
    expect([does.play, does.back].map((spy) => spy.mock.calls.length)).toEqual([1, 1])
  })
  it('of everywhere are heard beneath a dialog, and with Ctrl while text is typed', () => {
    const does = { find: vi.fn(), keys: vi.fn(), preferences: vi.fn() }
    view('Everywhere', does)
    press('k', '#text', { ctrlKey: true })
    press('?', '#text', { shiftKey: true })
    press('?', '#inside', { shiftKey: true })
    expect([does.find, does.keys].map((spy) => spy.mock.calls.length)).toEqual([1, 1])
  })
  it('go to the next who waits for a key where the first has no use for it, and to nobody else where it has', () => {
    const first = { search: vi.fn(), layout: vi.fn(), selectAll: vi.fn(), selectNone: vi.fn(() => false) }
    const second = { search: vi.fn(), layout: vi.fn(), selectAll: vi.fn(), selectNone: vi.fn() }
    view('Library', first)
    view('Library', second)
    press('Escape')
    press('/')
    expect([
      second.selectNone.mock.calls.length,
      first.search.mock.calls.length,
      second.search.mock.calls.length,
    ]).toEqual([1, 1, 0])
  })
  it('are gone with their view', () => {
    const does = history()
    view('Intake', does)
    expect(activeGroups).toContain('Intake')
    mounted.pop()!.unmount()
    press('z', document.body, { ctrlKey: true })
    expect([does.undo.mock.calls.length, activeGroups.includes('Intake')]).toEqual([0, false])
  })
})

describe('the table of shortcuts', () => {
  const groups = Object.entries(SHORTCUTS) as [ShortcutGroup, { shortcuts: Record<string, Shortcut> }][]
  /** What is open at the same time. */
  const TOGETHER: ShortcutGroup[][] = [
    ['Everywhere', 'Library'],
    ['Everywhere', 'Call sheet'],
    ['Everywhere', 'Intake'],
    ['Everywhere', 'Playing', 'Stage', 'Clip'],
    ['Everywhere', 'Board'],
    ['Everywhere', 'Playing', 'Stage', 'Findings', 'Fitting', 'Pairing'],
    ['Everywhere', 'Playing', 'Stage', 'Findings', 'Fitting', 'Stance'],
    ['Everywhere', 'Playing', 'Stage', 'Findings', 'Fitting', 'Touch up'],
    ['Everywhere', 'Playing', 'Stage', 'Splice'],
    ['Everywhere', 'Stage', 'Live'],
    ['Everywhere', 'Playing', 'Stage', 'Ensemble'],
    ['Everywhere', 'Playing', 'Stage', 'Findings', 'Review'],
  ]
  it('gives no key two meanings in a view, but Esc, which each leaves to the next', () => {
    for (const names of TOGETHER) {
      const keys = groups
        .filter(([name]) => names.includes(name))
        .flatMap(([, group]) => Object.values(group.shortcuts).flatMap(({ keys }) => keys.split(/(?<=.)\/(?=.)/)))
        .filter((key) => key !== 'escape')
      expect(
        keys.filter((key, n) => keys.indexOf(key) !== n),
        names.join(),
      ).toEqual([])
    }
  })
  it('writes keys as people read them', () => {
    const written = ({ keys, label }: Partial<Shortcut>) => labelOf({ keys: keys!, label, does: '' })
    expect(written({ keys: 'cmd+shift+z' })).toBe('Ctrl Shift Z')
    expect(written({ keys: 'n/arrowdown' })).toBe('N or ↓')
    expect(written({ keys: '//shift+/', label: '/' })).toBe('/')
  })
  it('writes keys as assistive technology reads them', () => {
    const written = ({ keys, label }: Partial<Shortcut>) => ariaOf({ keys: keys!, label, does: '' })
    expect(written({ keys: 'cmd+shift+z' })).toBe('Control+Shift+Z')
    expect(written({ keys: 'n/arrowdown' })).toBe('N ArrowDown')
    expect(written({ keys: '//shift+/', label: '/' })).toBe('/')
    expect(written({ keys: 'x/delete/backspace', label: 'X' })).toBe('X')
    expect(written({ keys: '?/shift+?', label: '?' })).toBe('?')
  })
})
