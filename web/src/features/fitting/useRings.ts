import { ref, type Ref, type ShallowRef } from 'vue'

import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'
import type { Which } from './weave'

export interface Ring {
  which: Which
  bone: string
  part: string
}
interface Around {
  canvas: Ref<HTMLCanvasElement | undefined>
  stage: ShallowRef<Stage | undefined>
  tree: (which: Which) => Bones | null
  part: (which: Which, bone: string) => string | undefined
  /** Whether a ring may be chosen now. */
  free: (ring: Ring) => boolean
  point: (key: string | null) => void
  pick: (ring: Ring, add: boolean) => void
  /** What else can be done with a ring. */
  menu: (event: MouseEvent, ring: Ring) => void
}

/** Pointing and clicking at rings on the figures; where several lie on top of each other, a short list asks which. */
export function useRings(around: Around) {
  const atPointer = ref<{ x: number; y: number; rings: Ring[] } | null>(null)
  let pressed: { x: number; y: number } | null = null

  const ringsAt = (event: PointerEvent, within: number): Ring[] => {
    const found = (around.stage.value?.ringsAt(event.clientX, event.clientY, within) ?? []).map(({ key, joint }) => {
      const which: Which = key.endsWith('source') ? 'source' : 'target'
      const tree = around.tree(which)
      const bone = tree?.names[joint] ?? ''
      return { which, bone, part: around.part(which, bone) ?? tree?.parts[joint] ?? '' }
    })
    // A bone that stands there twice, in the clip and in its stance, is one.
    return found.filter(
      (ring, n) => found.findIndex((other) => other.which === ring.which && other.bone === ring.bone) === n,
    )
  }
  const press = (event: PointerEvent) => (pressed = { x: event.clientX, y: event.clientY })
  function hover(event: PointerEvent) {
    if (event.buttons || atPointer.value) return
    const ring = ringsAt(event, 9)[0]
    around.point(ring ? `${ring.which} ${ring.bone}` : null)
  }
  function release(event: PointerEvent) {
    const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4
    pressed = null
    atPointer.value = null
    if (!still) return
    if (event.button === 2) {
      const ring = ringsAt(event, 12)[0]
      if (ring) around.menu(event, ring)
      return
    }
    const rings = ringsAt(event, 12).filter(around.free)
    if (rings.length === 1) around.pick(rings[0], event.shiftKey)
    else if (rings.length > 1) {
      const box = around.canvas.value!.getBoundingClientRect()
      const x = Math.min(event.clientX - box.left, box.width - 210)
      atPointer.value = {
        x,
        y: Math.min(event.clientY - box.top, box.height - 34 * Math.min(rings.length, 7)),
        rings: rings.slice(0, 7),
      }
    }
  }
  function choose(ring: Ring, add: boolean) {
    atPointer.value = null
    around.pick(ring, add)
  }
  return { atPointer, press, hover, release, choose }
}
