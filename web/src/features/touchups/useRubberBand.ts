import { computed, ref, type Ref } from 'vue'

export interface Box {
  left: number
  right: number
  top: number
  bottom: number
}
const CLICK = 4 // pixels that a hand moves by when it only clicks

/** A box drawn over a drawing to choose what lies in it, in pixels of the drawing; or a click on nothing. */
export function useRubberBand(
  drawing: Ref<Element | undefined>,
  done: { click: (event: PointerEvent) => void; choose: (box: Box, more: boolean) => void },
) {
  const band = ref<{ from: [number, number]; to: [number, number]; more: boolean } | null>(null)
  function pointAt(event: PointerEvent): [number, number] {
    const box = drawing.value!.getBoundingClientRect()
    return [event.clientX - box.left, event.clientY - box.top]
  }
  /** As it is drawn; nothing while it is no more than a click. */
  const box = computed((): Box | null => {
    if (!band.value) return null
    const [[ax, ay], [bx, by]] = [band.value.from, band.value.to]
    const made = { left: Math.min(ax, bx), right: Math.max(ax, bx), top: Math.min(ay, by), bottom: Math.max(ay, by) }
    return made.right - made.left < CLICK && made.bottom - made.top < CLICK ? null : made
  })
  function start(event: PointerEvent) {
    if (event.button) return
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
    band.value = { from: pointAt(event), to: pointAt(event), more: event.shiftKey }
  }
  function move(event: PointerEvent) {
    // A hand that lets go of a scroll bar is not heard of.
    if (!event.buttons) cancel()
    if (band.value) band.value = { ...band.value, to: pointAt(event) }
  }
  function release(event: PointerEvent) {
    if (!band.value) return
    const [made, { more }] = [box.value, band.value]
    band.value = null
    if (made) done.choose(made, more)
    else done.click(event)
  }
  function cancel() {
    band.value = null
  }
  return { box, start, move, release, cancel }
}
