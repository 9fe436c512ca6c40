import { ref } from 'vue'

import type { Node } from './weave'

const LEAST = 5

/**
 * Dragging a thread from a bone to another one. under: the bone at a place in the window. over: a bone is passed on
 * the way. drop: the thread is let go on another bone. The click that a browser makes of the same gesture is to be
 * ignored.
 */
export function useThreadDrag(handlers: {
  under: (x: number, y: number) => Node | undefined
  over: (node: Node) => void
  drop: (from: Node, to: Node, add: boolean) => void
}) {
  /** The thread in the hand, from a bone to a place in the window. */
  const held = ref<{ node: Node; x: number; y: number } | null>(null)
  let clickFollows = false

  function press(event: PointerEvent, node: Node) {
    if (event.button !== 0) return
    const start = { x: event.clientX, y: event.clientY }
    const move = ({ clientX: x, clientY: y }: PointerEvent) => {
      if (!held.value && Math.hypot(x - start.x, y - start.y) <= LEAST) return
      held.value = { node, x, y }
      handlers.over(handlers.under(x, y) ?? node)
    }
    const release = ({ clientX, clientY, shiftKey }: PointerEvent) => {
      window.removeEventListener('pointermove', move)
      window.removeEventListener('pointerup', release)
      if (!held.value) return
      held.value = null
      clickFollows = true
      setTimeout(() => (clickFollows = false))
      const to = handlers.under(clientX, clientY)
      if (to && to.id !== node.id) handlers.drop(node, to, shiftKey)
    }
    window.addEventListener('pointermove', move)
    window.addEventListener('pointerup', release)
  }
  return { held, press, isDrop: () => clickFollows }
}
