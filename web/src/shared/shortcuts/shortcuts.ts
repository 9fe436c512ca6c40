/** A key, as `useHotkey` writes it ("/" between alternatives, "cmd" for Ctrl or the Mac's own), and what it does. */
export interface Shortcut {
  keys: string
  does: string
  /** How the key is written for people, where its spelling above does not say it. */
  label?: string
}
/** What a key or the pointer does within a single control, which listens for it by itself. */
export interface Gesture {
  label: string
  does: string
}
interface Group {
  shortcuts: Record<string, Shortcut>
  gestures?: Gesture[]
}

const HISTORY = {
  undo: { keys: 'cmd+z', does: 'undo' },
  redo: { keys: 'cmd+shift+z', does: 'redo' },
}

/** Every shortcut of the application. Views say what becomes of each; the list of keys is made from here. */
export const SHORTCUTS = {
  Everywhere: {
    shortcuts: {
      find: { keys: 'cmd+k', does: 'find a clip, character, fitting or view' },
      keys: { keys: '?/shift+?', does: 'show the keys', label: '?' },
      preferences: { keys: 'cmd+,', does: 'preferences' },
    },
    gestures: [{ label: 'Esc', does: 'close what is open' }],
  },
  Playing: {
    shortcuts: {
      play: { keys: 'space', does: 'play and pause' },
      back: { keys: 'arrowleft', does: 'one frame back' },
      on: { keys: 'arrowright', does: 'one frame on' },
      first: { keys: 'home', does: 'first frame' },
      last: { keys: 'end', does: 'last frame' },
    },
  },
  Stage: {
    shortcuts: {
      sideAfter: { keys: 'q', does: 'look from the next side: three-quarter, front, side, back, top' },
      sideBefore: { keys: 'shift+q', does: 'from the one before' },
      alone: { keys: 'h', does: 'the stage on the whole screen, and back' },
    },
    gestures: [
      { label: 'drag', does: 'turn around what is looked at; with the other button, move it' },
      { label: 'wheel', does: 'closer or farther' },
    ],
  },
  'A closer look': {
    shortcuts: {
      neighbours: { keys: 'i', does: 'the poses before and after, faint' },
      trace: { keys: 'j', does: 'the trace of a bone' },
      curve: { keys: 'y', does: 'its curve: height, speed, bend, none' },
      rangeFirst: { keys: '[/ctrl+alt+[', does: 'play from this frame on', label: '[' },
      rangeLast: { keys: ']/ctrl+alt+]', does: 'play as far as this frame', label: ']' },
      rangeAll: { keys: 'z', does: 'play all of it again' },
    },
  },
  Findings: {
    shortcuts: {
      before: { keys: 'shift+arrowleft', does: 'to the finding before' },
      after: { keys: 'shift+arrowright', does: 'to the finding after' },
    },
  },
  'Call sheet': {
    shortcuts: {
      next: { keys: 'arrowdown', does: 'next motion' },
      previous: { keys: 'arrowup', does: 'the one before' },
      write: { keys: 'n', does: 'write another one' },
      take: { keys: '1/2/3/4/5/6/7/8/9', does: 'take a clip for it, or let it go', label: '1 … 9' },
      remove: { keys: 'delete', does: 'take the row away' },
      board: { keys: 'b', does: 'what was chosen to the board' },
      ...HISTORY,
    },
    gestures: [
      { label: 'Enter', does: 'in a motion: to the next one' },
      { label: 'Ctrl V', does: 'rows from a spreadsheet' },
    ],
  },
  Library: {
    shortcuts: {
      search: { keys: '//shift+/', does: 'search', label: '/' },
      layout: { keys: 'l', does: 'clips as plates or as a list' },
      selectAll: { keys: 'cmd+a', does: 'select all that are shown' },
      selectNone: { keys: 'escape', does: 'select none' },
    },
    gestures: [{ label: 'Shift click', does: 'select from the last one to this' }],
  },
  Intake: { shortcuts: HISTORY, gestures: [{ label: 'Shift click', does: 'tick from the last one to this' }] },
  Clip: {
    shortcuts: {
      rangeFirst: { keys: '[/ctrl+alt+[', does: 'begin the range at this frame', label: '[' },
      rangeLast: { keys: ']/ctrl+alt+]', does: 'end the range at this frame', label: ']' },
      frameAll: { keys: 'f', does: 'frame the figure' },
      showTake: { keys: 't', does: 'the take as it came, and back' },
      ...HISTORY,
    },
    gestures: [
      { label: '↑ ↓', does: 'in a number: by a step; with Shift by ten' },
      { label: 'Alt ↑ ↓', does: 'in a step: earlier or later' },
      { label: 'double click', does: 'on the curve of a pace: a key' },
    ],
  },
  Splice: {
    shortcuts: {
      next: { keys: 'n', does: 'next join' },
      previous: { keys: 'shift+n', does: 'the one before' },
      candidate: { keys: 'c', does: 'join at the next candidate' },
      candidateBefore: { keys: 'shift+c', does: 'at the one before' },
      map: { keys: 'm', does: 'the cost map, and the candidates' },
      follow: { keys: 'w', does: 'the camera follows, and not' },
      frameAll: { keys: 'f', does: 'frame the whole path' },
      letGo: { keys: 'escape', does: 'let go of what is drawn' },
      ...HISTORY,
    },
    gestures: [
      { label: '← →', does: 'on a span, its end or a join: a frame; with Shift ten' },
      { label: 'Alt ← →', does: 'on a span: earlier or later' },
      { label: 'Del', does: 'on a span: take it out' },
      { label: 'arrows', does: 'in the cost map: move; Enter joins there' },
    ],
  },
  Ensemble: {
    shortcuts: {
      next: { keys: 'n', does: 'next meeting' },
      previous: { keys: 'shift+n', does: 'the one before' },
      casting: { keys: 'c', does: 'the next casting, and as recorded' },
      frameAll: { keys: 'f', does: 'frame everybody' },
      ...HISTORY,
    },
    gestures: [{ label: 'Enter', does: 'on a meeting: choose it' }],
  },
  Live: {
    shortcuts: {
      record: { keys: 'r', does: 'record, and end the recording' },
      spot: { keys: 'w', does: 'the figures where they go, or on the spot' },
      frameAll: { keys: 'f', does: 'frame everybody' },
    },
  },
  Bones: {
    shortcuts: {
      stepBefore: { keys: ',', does: 'the step before: mesh, landmarks, skeleton, weights, try out' },
      stepAfter: { keys: '.', does: 'the step after it' },
      frameAll: { keys: 'f', does: 'the landmark in hand closer, and the whole body' },
      lineUp: { keys: 'cmd+enter', does: 'put it in the line-up' },
      stop: { keys: 'x', does: 'stop binding the mesh' },
      ...HISTORY,
    },
  },
  Landmarks: {
    shortcuts: {
      next: { keys: 'n', does: 'next landmark' },
      previous: { keys: 'shift+n', does: 'the one before' },
      views: { keys: 'w', does: 'into the front view; Tab goes to the side view' },
      middle: { keys: 'c', does: 'to the middle of the cut through the body' },
      mirror: { keys: 't', does: 'other side follows, on and off' },
      hands: { keys: 'h', does: 'the left hand, the right one, the whole body' },
    },
    gestures: [
      { label: 'arrows', does: 'in a view: move the landmark 2 mm; with Shift 2 cm' },
      { label: 'drag', does: 'a landmark; elsewhere what is seen' },
      { label: 'wheel', does: 'closer or farther' },
    ],
  },
  Fitting: {
    shortcuts: {
      mesh: { keys: 'm', does: 'mesh on and off' },
      bones: { keys: 'b', does: 'bones on and off' },
      layout: { keys: 'o', does: 'side by side or laid over each other' },
      frameAll: { keys: 'f', does: 'frame both figures' },
      leafBefore: { keys: ',', does: 'the leaf before: pair, stance, transfer, touch up' },
      leafAfter: { keys: '.', does: 'the leaf after it' },
      review: { keys: 'r', does: 'back to the review that one came from' },
      closeMenu: { keys: 'escape', does: 'close the choice of rings' },
      ...HISTORY,
    },
  },
  Pairing: {
    shortcuts: {
      next: { keys: 'n', does: 'next bone to look at' },
      previous: { keys: 'shift+n', does: 'the one before' },
      weave: { keys: 'w', does: 'into the weave; arrows move in it' },
      find: { keys: '//shift+/', does: 'find a bone or a part', label: '/' },
      confirm: { keys: 'c', does: 'confirm' },
      confirmLimb: { keys: 'shift+c', does: 'confirm the whole limb' },
      remove: { keys: 'x/delete/backspace', does: 'remove the pair', label: 'X' },
      leaveOut: { keys: 'l', does: 'leave the part out, or take it back in' },
      swap: { keys: 's', does: 'swap the sides of the limb' },
      mirror: { keys: 't', does: 'other side follows, on and off' },
      group: { keys: '1/2/3/4/5/0', does: 'body, hands, head, extras; all', label: '1 … 5, 0' },
      letGo: { keys: 'escape', does: 'let go of a bone' },
    },
    gestures: [
      { label: 'Enter', does: 'take a bone, then type its counterpart' },
      { label: 'Shift', does: 'with click or Enter: beside the bones that the pair has' },
    ],
  },
  Stance: {
    shortcuts: {
      align: { keys: 'a', does: 'align all' },
      alignLimb: { keys: 'shift+a', does: 'align the limb of the chosen bone' },
      list: { keys: 'w', does: 'into the list of parts; arrows move in it, Enter takes a bone' },
      angle: { keys: 'd', does: 'to the angles of the chosen bone' },
      reset: { keys: 'x', does: 'reset the chosen bone' },
      mirror: { keys: 't', does: 'other side follows, on and off' },
      rollMarkers: { keys: 'e', does: 'feathers on and off' },
      compare: { keys: 'c', does: 'the stance before, and back' },
      letGo: { keys: 'escape', does: 'let go of a bone' },
    },
    gestures: [
      { label: 'Shift', does: 'while a ring is drawn: any angle' },
      { label: 'Esc', does: 'while a ring is drawn: let go of it' },
    ],
  },
  Transfer: {
    shortcuts: {
      section: { keys: 'w', does: 'to the next group of settings; Tab goes through it' },
      sectionBefore: { keys: 'shift+w', does: 'to the group before' },
    },
  },
  'Touch up': {
    shortcuts: {
      key: { keys: 'k', does: 'set a key for the chosen bone' },
      next: { keys: 'n', does: 'next key' },
      previous: { keys: 'shift+n', does: 'the one before' },
      copy: { keys: 'v', does: 'copy the chosen keys to the playhead' },
      mirror: { keys: 't', does: 'mirror them to the other side' },
      remove: { keys: 'x/delete', does: 'remove them', label: 'X' },
      onOff: { keys: 'l', does: 'the layer on and off' },
      ghost: { keys: 'g', does: 'the figure as it was, and not' },
      letGo: { keys: 'escape', does: 'let go of keys, then of the bone' },
    },
    gestures: [
      { label: 'click', does: 'on a key: choose it; with Shift one more' },
      { label: '← →', does: 'on a key: a frame; with Shift ten' },
      { label: 'drag', does: 'a key, a bracket, or where it begins and ends' },
      { label: '↑ ↓', does: 'in a number: by a step' },
      { label: 'Esc', does: 'while a ring or handle is drawn: let go of it' },
    ],
  },
  Contacts: {
    shortcuts: {},
    gestures: [
      { label: '← →', does: 'move the end of a chosen contact; with Shift its start' },
      { label: 'Del', does: 'remove it' },
      { label: 'drag', does: 'its ends, the whole, or a new one in an empty lane' },
    ],
  },
  Board: {
    shortcuts: {
      sheet: { keys: 'w', does: 'into the sheet; arrows move in it' },
      transfer: { keys: 't', does: 'transfer what is swept' },
      update: { keys: 'u', does: 'bring it up to date' },
      review: { keys: 'r', does: 'review it' },
      accept: { keys: 'a', does: 'accept it' },
      deliver: { keys: 'd', does: 'deliver it' },
      retire: { keys: 'delete', does: 'retire it' },
      undo: { keys: 'cmd+z', does: 'take back an acceptance' },
      redo: { keys: 'cmd+shift+z', does: 'make it again' },
    },
    gestures: [
      { label: 'arrows', does: 'move from cell to cell; with Shift draw a rectangle' },
      { label: 'Space', does: 'sweep the cell, or not' },
      { label: 'Ctrl A', does: 'sweep all that are shown' },
      { label: 'Enter', does: 'open the cell: its result, or its fitting' },
      { label: 'Esc', does: 'sweep nothing' },
    ],
  },
  Delivery: {
    shortcuts: {
      deliver: { keys: 'cmd+enter', does: 'deliver' },
    },
  },
  Review: {
    shortcuts: {
      next: { keys: 'n/arrowdown', does: 'next result' },
      previous: { keys: 'p/arrowup', does: 'previous result' },
      accept: { keys: 'a', does: 'accept, and on to the next' },
      sendBack: { keys: 's', does: 'send back with a note' },
      fitting: { keys: 'g', does: 'to the fitting, at this frame' },
      touchUp: { keys: 'u', does: 'touch it up, at this frame' },
      layout: { keys: 'o', does: 'side by side or over each other' },
      mesh: { keys: 'm', does: 'mesh on and off' },
      bones: { keys: 'b', does: 'bones on and off' },
      frameAll: { keys: 'f', does: 'frame the figures' },
      undo: { keys: 'cmd+z', does: 'take back a judgement' },
      redo: { keys: 'cmd+shift+z', does: 'make it again' },
    },
  },
} satisfies Record<string, Group>

export type ShortcutGroup = keyof typeof SHORTCUTS

const LABELS: Record<string, string> = {
  cmd: 'Ctrl',
  arrowleft: '←',
  arrowright: '→',
  arrowup: '↑',
  arrowdown: '↓',
  escape: 'Esc',
  delete: 'Del',
}
const word = (key: string) => LABELS[key] ?? key[0].toUpperCase() + key.slice(1)

/** How a shortcut is written for people, as in "Ctrl Shift Z". */
export function labelOf({ keys, label }: Shortcut): string {
  return (
    label ??
    keys
      .split('/')
      .map((keysTogether) => keysTogether.split('+').map(word).join(' '))
      .join(' or ')
  )
}

const ARIA: Record<string, string> = {
  cmd: 'Control',
  ctrl: 'Control',
  shift: 'Shift',
  alt: 'Alt',
  arrowleft: 'ArrowLeft',
  arrowright: 'ArrowRight',
  arrowup: 'ArrowUp',
  arrowdown: 'ArrowDown',
}
/** How a shortcut is written in `aria-keyshortcuts`: "Control+Shift+Z", alternatives with a space between. */
export function ariaOf({ keys, label }: Shortcut): string {
  const written = label?.length === 1 ? label : keys
  const name = (key: string) => ARIA[key] ?? key[0].toUpperCase() + key.slice(1)
  return written
    .split(/(?<=.)\/(?=.)/)
    .map((keysTogether) => keysTogether.split('+').map(name).join('+'))
    .join(' ')
}

/** Attributes of a control that a key does the same as: what it does, with the key, for those who point and listen. */
export function withKey<Group extends ShortcutGroup>(
  group: Group,
  name: keyof (typeof SHORTCUTS)[Group]['shortcuts'],
  title?: string,
) {
  const shortcut: Shortcut = (SHORTCUTS[group].shortcuts as Record<PropertyKey, Shortcut>)[name]
  const does = title ?? shortcut.does[0].toUpperCase() + shortcut.does.slice(1)
  return { title: `${does} (${labelOf(shortcut)})`, 'aria-keyshortcuts': ariaOf(shortcut) }
}
