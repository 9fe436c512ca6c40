<script setup lang="ts">
import { Vector3 } from 'three'
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import type { Stage } from '@/stage/stage'
import { arc, axesOf, jointPosition } from './stanceGeometry'
import type { Wanted } from './stances'
import TurnRings from './TurnRings.vue'
import { KEYS, type Stances } from './useStances'
import type { Bones } from '@/stores/cast'
import type { Which } from './weave'

/**
 * Drawn over the stage: a fan with its degrees at every bone that is still off, and rings to turn the chosen bone by.
 */
const props = defineProps<{
  stage: Stage
  stances: Stances
  trees: Record<Which, Bones>
  height: number
  mirror: boolean
  pointed: string | null
}>()
const emit = defineEmits<{ stand: [wanted: Wanted] }>()
const LEAST = 1
const { chosen, axes, snap, rows, forward, moved } = props.stances
const drawn = ref(0)
let listening = props.stage.afterDrawing(() => (drawn.value += 1))
watch(
  () => props.stage,
  (now) => {
    listening()
    listening = now.afterDrawing(() => (drawn.value += 1))
  },
)
onBeforeUnmount(() => listening())

const flat = (points: Vector3[]) => points.map((point) => props.stage.project(point))
const path = (points: { x: number; y: number }[]) =>
  points.map(({ x, y }, n) => `${n ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
const fans = computed(() => {
  void [drawn.value, moved.value]
  if (props.stances.view.value === 'Motion' || !props.stage.figure(KEYS.target)) return []
  const off = rows.value.filter((row) => row.left > LEAST && Math.hypot(...row.way) > 0.5)
  // The worst say their degrees; more numbers than eight hide the body, and those of fingers each other.
  const named = new Set(
    [...off]
      .filter((row) => !row.own && !/(thumb|index|middle|ring|little)$/.test(row.limb))
      .sort((a, b) => b.left - a.left)
      .slice(0, 8)
      .map((row) => row.part),
  )
  return off.map((row) => {
    const position = jointPosition(props.stage, KEYS.target, props.trees.target.names.indexOf(row.bone))
    const edge = arc(position, new Vector3(...row.way), new Vector3(...row.wanted), props.height * 0.09)
    const points = flat([position, ...edge])
    const middle = points[1 + Math.floor(edge.length / 2)] ?? points[0]
    const far = Math.hypot(middle.x - points[0].x, middle.y - points[0].y) || 1
    return {
      part: row.part,
      own: row.own,
      d: `${path(points)}Z`,
      text:
        (named.has(row.part) && row.bone !== chosen.value?.bone) || props.pointed === row.part
          ? `${row.left.toFixed(0)}°`
          : '',
      x: middle.x + ((middle.x - points[0].x) / far) * 11,
      y: middle.y + ((middle.y - points[0].y) / far) * 11 + 4,
    }
  })
})
const rings = computed(() => {
  void [drawn.value, moved.value]
  const at = chosen.value
  if (!at || props.stances.view.value === 'Motion') return null
  const bone = props.stances.boneAt(at.which, at.bone)
  if (!bone) return null
  const tree = props.trees[at.which]
  const parent = tree.parents[tree.names.indexOf(at.bone)]
  const of =
    axes.value === 'parent' && parent >= 0 ? (props.stances.boneAt(at.which, tree.names[parent]) ?? bone) : bone
  return { position: bone.position, axes: axesOf(axes.value, of, forward.value) }
})
const wanted = (axis: Vector3, degrees: number): Wanted => ({
  op: 'turn',
  side: chosen.value!.which,
  bone: chosen.value!.bone,
  axis: axis.toArray(),
  degrees,
  mirror: props.mirror,
})
function keep(axis: Vector3, degrees: number) {
  props.stances.settle()
  emit('stand', wanted(axis, degrees))
}
/** As it was before the ring was taken hold of. */
function cancel() {
  props.stances.settle()
  void props.stances.attempt(wanted(new Vector3(0, 1, 0), 0)).then(props.stances.settle)
}
</script>

<template>
  <svg class="over" aria-hidden="true">
    <g v-for="ring in fans" :key="ring.part" :class="{ own: ring.own, pointed: pointed === ring.part }" class="fan">
      <path :d="ring.d" />
      <text v-if="ring.text" :x="ring.x" :y="ring.y" text-anchor="middle">{{ ring.text }}</text>
    </g>
    <TurnRings
      v-if="rings"
      :stage="stage"
      :position="rings.position"
      :axes="rings.axes"
      :size="height"
      :snap="snap"
      :drawn="drawn"
      @try="(axis, degrees) => void stances.attempt(wanted(axis, degrees))"
      @keep="keep"
      @cancel="cancel"
    />
  </svg>
</template>

<style scoped>
.over {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  overflow: hidden;
}
text {
  font: 12px var(--mono);
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.fan path {
  fill: var(--accent);
  opacity: 0.32;
}
.fan.own path {
  fill: var(--quiet);
  opacity: 0.25;
}
.fan.pointed path {
  opacity: 0.7;
}
</style>
