import { ref, watch } from 'vue'

/**
 * Text that is typed over a value which others may change meanwhile. From begin to end it is left alone; end returns
 * the version that it was begun on, for the change that is made of it, after whose answer it is shown as it is.
 */
export function useDraft(value: () => string, version: () => number) {
  const text = ref(value())
  let base: number | undefined
  watch(value, (now) => {
    if (base === undefined) text.value = now
  })
  function begin() {
    base ??= version()
  }
  function end(): number {
    const begun = base ?? version()
    base = undefined
    return begun
  }
  function show() {
    if (base === undefined) text.value = value()
  }
  /** Over without a change. */
  function leave() {
    if (base === undefined) return
    base = undefined
    show()
  }
  return { text, begin, end, show, leave }
}
