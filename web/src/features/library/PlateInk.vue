<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { onBeforeUnmount, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Plate } from '@/stores/library'
import { inked } from './inked'
import { paintNoMore, paintSoon } from './painting'
import { boxOf, share } from './plates'

/**
 * A plate at rest, painted once. A sheet of them scrolls as pictures do, where a thousand strokes in the page would
 * have to be drawn anew for every row that comes into sight.
 */
const props = defineProps<{ plate: Plate | null; name: string }>()
const canvas = ref<HTMLCanvasElement>()
const theme = useTheme()
const CARRIERS = {
  right: ['right', 38],
  core: ['panel', 15],
  middle: ['ink', 30],
  fine: ['quiet', 9],
  left: ['left', 26],
} as const

/**
 * As the observer says it: asking the element would have the page laid out at once, for every plate that comes into
 * sight.
 */
let size = { width: 0, height: 0 }
function paint() {
  const element = canvas.value
  const plate = props.plate
  // Painted once and then only shown: a graphics card would take longer to set up for it than painting takes.
  const pen = element?.getContext('2d', { willReadFrequently: true })
  const { width, height } = size
  if (!element || !pen || !plate || !width || !height) return
  const ratio = Math.min(devicePixelRatio, 2)
  element.width = Math.round(width * ratio)
  element.height = Math.round(height * ratio)
  const colours = inks(theme.global.name.value, element)
  const thinned = (key: keyof typeof INKS, part: number) =>
    `rgb(${colours[key].map((value: number, n: number) => Math.round(value * part + colours.panel[n] * (1 - part))).join(' ')})`
  const box = boxOf(plate)
  const scale = Math.min(element.width / box.width, element.height / box.height)
  // As the drawing has it: in the middle, standing on the lower edge.
  pen.setTransform(
    scale,
    0,
    0,
    scale,
    (element.width - box.width * scale) / 2 - box.left * scale,
    element.height - (box.top + box.height) * scale,
  )
  pen.lineCap = pen.lineJoin = 'round'
  const stroke = (path: Path2D, colour: string, thick: number) => {
    pen.strokeStyle = colour
    pen.lineWidth = thick
    pen.stroke(path)
  }
  stroke(new Path2D(`M-9000 ${plate.height}H${plate.width + 9000}`), thinned('hairline', 1), ratio / scale)
  const poses = inked(plate)
  poses.forEach((drawing, n) => {
    const part = share(n, poses.length)
    const right = new Path2D(drawing.right)
    stroke(right, thinned('right', part), CARRIERS.right[1])
    stroke(right, thinned('panel', 1), CARRIERS.core[1])
    stroke(new Path2D(drawing.middle), thinned('ink', part), CARRIERS.middle[1])
    if (drawing.head) {
      const ring = new Path2D()
      ring.arc(drawing.head.x, drawing.head.y, drawing.head.r, 0, 7)
      pen.fillStyle = thinned('panel', 1)
      pen.fill(ring)
      stroke(ring, thinned('ink', part), 20)
    }
    stroke(new Path2D(drawing.fine), thinned('quiet', part), CARRIERS.fine[1])
    stroke(new Path2D(drawing.left), thinned('left', part), CARRIERS.left[1])
  })
}
function anew() {
  // Gone at once, where the next one may take a moment: no clip stands beside the plate of another.
  if (canvas.value) canvas.value.width = canvas.value.width + 0
  paintSoon(paint)
}
watch([() => props.plate, () => theme.global.name.value], anew, { flush: 'post' })
useResizeObserver(canvas, ([{ contentRect }]) => {
  size = contentRect
  paintSoon(paint)
})
onBeforeUnmount(() => paintNoMore(paint))
</script>

<script lang="ts">
const INKS = {
  ink: 'on-surface',
  panel: 'surface',
  left: 'left',
  right: 'right',
  quiet: 'quiet',
  hairline: 'hairline',
} as const
type Inks = Record<keyof typeof INKS, number[]>
const known = new Map<string, Inks>()
/** The inks of a theme, read from the page once. */
function inks(theme: string, element: Element): Inks {
  let found = known.get(theme)
  if (!found) {
    const style = getComputedStyle(element)
    found = Object.fromEntries(
      Object.entries(INKS).map(([key, name]) => [
        key,
        style.getPropertyValue(`--v-theme-${name}`).split(',').map(Number),
      ]),
    ) as Inks
    known.set(theme, found)
  }
  return found
}
</script>

<template>
  <span class="plate"><canvas ref="canvas" role="img" :aria-label="`Plate of ${name}`"></canvas></span>
</template>

<style scoped>
.plate {
  width: 100%;
  height: 100%;
  display: block;
  position: relative;
}
/* Out of the flow: a canvas has a size of its own, which must not push at what it was measured by. */
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
</style>
