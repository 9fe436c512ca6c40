import { useEventListener } from '@vueuse/core'
import { nextTick, watch, type Ref } from 'vue'
import { useRoute } from 'vue-router'

/** What the focus is handed on to. No text field: it would take the keys of the view. */
const FOCUSABLE = 'a[href], button:not(:disabled), [tabindex]:not([tabindex="-1"], input)'

/**
 * The focus is always somewhere, so that who uses no pointer goes on from where they are: another view begins at its
 * content, and what is gone, as a message that was dismissed or a dialog that was closed, hands on to what is around it
 * or to where somebody was before it.
 */
export function useFocus(content: Ref<HTMLElement | undefined>) {
  /** The element that had the focus last, with what is around it; and the last that was in no dialog. */
  let trail: Element[] = []
  let outside: HTMLElement | null = null
  let pointed = false

  const begin = () => content.value?.focus({ preventScroll: true })
  useEventListener('focusin', ({ target }) => {
    trail = []
    for (let at = target as Element | null; at && at !== document.body; at = at.parentElement) trail.push(at)
    if (!trail.some((element) => element.matches('.v-overlay, [role="status"]'))) outside = target as HTMLElement
  })
  // Who points has the keys of the view wherever the focus is, and a field that got it unasked would take them.
  useEventListener('pointerdown', () => (pointed = true), { capture: true })
  useEventListener('keydown', () => (pointed = false), { capture: true })
  useEventListener('focusout', ({ relatedTarget }) => {
    if (relatedTarget || pointed) return
    // Whoever moves the focus does so in this beat; what closes slowly is gone in the next one.
    requestAnimationFrame(() => requestAnimationFrame(recover))
  })
  function recover() {
    if (document.activeElement !== document.body || !document.hasFocus()) return
    // What lies in a dialog that is on its way out is as good as gone.
    const isThere = (element: Element) =>
      element.isConnected && element.checkVisibility() && !element.closest('.v-overlay:not(.v-overlay--active)')
    // A field that gave it away, as with Enter, leaves the keys to the view; Tab goes on from it.
    if (trail.length && isThere(trail[0]) && !trail[0].matches(':disabled')) return
    const around = trail.find(isThere)
    const next = around?.matches(FOCUSABLE) ? around : around?.querySelector(FOCUSABLE)
    if (next) (next as HTMLElement).focus({ preventScroll: true })
    else if (outside && isThere(outside)) outside.focus({ preventScroll: true })
    if (document.activeElement === document.body) begin()
  }

  const route = useRoute()
  watch(
    () => `${String(route.name)} ${String(route.params.id ?? '')}`,
    async (_, before) => {
      if (before.startsWith('undefined ')) return // the page itself has just come
      await nextTick()
      // A view that puts the focus somewhere by itself knows better.
      if (!content.value?.contains(document.activeElement)) begin()
    },
  )
}
