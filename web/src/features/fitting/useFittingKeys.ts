import { onBeforeUnmount, onMounted, type Ref } from 'vue'

import type { Finding } from './useSettling'

/** The keys of a fitting; a leaf that is open has its own first. */
export function useFittingKeys(view: {
  leaf: () => { onKey: (event: KeyboardEvent) => boolean | void } | undefined
  menu: Ref<unknown>
  findings: Ref<Finding[]>
  frame: Ref<number>
  frames: Ref<number>
  playing: Ref<boolean>
  mesh: Ref<boolean>
  bones: Ref<boolean>
  layout: Ref<'beside' | 'over'>
  go: (frame: number) => void
  step: (by: number) => void
  undo: () => unknown
  redo: () => unknown
  fit: () => void
}) {
  const { frame, go, step } = view
  const starts = () =>
    [...new Set(view.findings.value.filter((finding) => finding.unit).flatMap((finding) => finding.spans.map(([first]) => first)))].sort((a, b) => a - b)
  const keys: Record<string, () => void> = {
    ArrowRight: () => step(1),
    ArrowLeft: () => step(-1),
    Home: () => go(0),
    End: () => go(view.frames.value - 1),
    m: () => (view.mesh.value = !view.mesh.value),
    b: () => (view.bones.value = !view.bones.value),
    o: () => (view.layout.value = view.layout.value === 'beside' ? 'over' : 'beside'),
    f: view.fit,
  }

  function onKey(event: KeyboardEvent) {
    const target = event.target as HTMLElement
    if (target.closest('input, textarea, [role="dialog"]')) return
    const control = event.ctrlKey || event.metaKey
    if (!control && !event.altKey && view.leaf()?.onKey(event)) return
    if (event.key === 'Escape' && view.menu.value) return void (view.menu.value = null)
    if (control && event.key.toLowerCase() === 'z') void (event.shiftKey ? view.redo() : view.undo())
    else if (control || event.altKey) return
    else if (event.key === ' ') {
      if (target.closest('button, a')) return // the button's own key
      view.playing.value = !view.playing.value
    } else if (event.key === 'ArrowRight' && event.shiftKey) go(starts().find((at) => at > frame.value) ?? frame.value)
    else if (event.key === 'ArrowLeft' && event.shiftKey) go(starts().reverse().find((at) => at < frame.value) ?? frame.value)
    else if (event.key in keys) keys[event.key]()
    else return
    event.preventDefault()
  }
  onMounted(() => window.addEventListener('keydown', onKey))
  onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
}
