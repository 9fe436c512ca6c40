<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, ref } from 'vue'

import type { Bones } from '@/stores/cast'
import { useThreadDrag } from './useThreadDrag'
import WeaveThreads from './WeaveThreads.vue'
import {
  boneLabel,
  gapText,
  layOut,
  shortPart,
  shortened,
  sideOf,
  type Fitting,
  type Group,
  type Node,
  type Which,
} from './weave'

/** The weave: two bone trees face each other, pairs as threads between them. */
const props = defineProps<{
  fitting: Fitting
  source: Bones
  target: Bones
  group: Group
  pointed: string[]
  held: { which: Which; bone: string } | null
  changed: string[]
}>()
const emit = defineEmits<{
  point: [id: string | null]
  take: [which: Which, bone: string, add: boolean]
  connect: [source: string, target: string, add: boolean]
  move: [key: string, which: Which, from: string, to: string]
  gap: [part: string]
  menu: [event: MouseEvent, which: Which, bone: string]
  /** Enter on a bone; add: with Shift. */
  hold: [id: string, add: boolean]
}>()
const here = defineModel<string | null>('here', { required: true })
const box = ref<HTMLElement>()
const width = ref(440)
useResizeObserver(box, () => (width.value = box.value?.clientWidth ?? 440))

const weave = computed(() => layOut(props.fitting, props.source, props.target, props.group))
const byId = computed(() => new Map(weave.value.nodes.map((node) => [node.id, node])))
const names = computed(() => ({ source: shortened(props.source.names), target: shortened(props.target.names) }))
const pairOf = computed(() => {
  const out = new Map<string, Fitting['pairs'][number]>()
  for (const pair of props.fitting.pairs)
    for (const which of ['source', 'target'] as const) for (const bone of pair[which]) out.set(`${which} ${bone}`, pair)
  return out
})
/** Half the width of the middle, where threads run. */
const inner = computed(() => Math.max(44, width.value * 0.15))
const ring = (node: Node) => ({
  x: width.value / 2 + (node.which === 'source' ? -1 : 1) * (inner.value + node.depth * 5),
  y: node.y,
})

function path(a: { x: number; y: number }, b: { x: number; y: number }) {
  const bend = Math.min(0.5, 0.25 + Math.abs(a.y - b.y) / 400) * (b.x - a.x)
  return `M${a.x} ${a.y} C${a.x + bend} ${a.y} ${b.x - bend} ${b.y} ${b.x} ${b.y}`
}
const threads = computed(() =>
  weave.value.threads.map((thread) => {
    const a = ring(thread.from)
    const b = ring(thread.to)
    return { ...thread, d: path(a, b), middle: { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 } }
  }),
)
/** Strokes of the two trees: from each bone to the nearest one above it that is shown, thinning towards its end. */
const strokes = computed(() => {
  const out: { d: string; side: string }[] = []
  for (const node of weave.value.nodes) {
    const tree = node.which === 'source' ? props.source : props.target
    let up = tree.parents[node.joint]
    while (up >= 0 && !byId.value.has(`${node.which} ${tree.names[up]}`)) up = tree.parents[up]
    if (up < 0) continue
    const over = byId.value.get(`${node.which} ${tree.names[up]}`)!
    const a = ring(over)
    const b = ring(node)
    const away = node.which === 'source' ? -1 : 1
    const far = Math.abs(b.y - a.y) > 30 ? 12 + Math.min(14, Math.abs(b.y - a.y) / 40) : 4
    const x = away * Math.max(away * a.x, away * b.x) + away * far
    out.push({ d: `M${a.x} ${a.y} Q${x} ${a.y} ${x} ${(a.y + b.y) / 2} T${b.x} ${b.y}`, side: sideOf(node.part) })
  }
  return out
})

const lit = (node: Node) => {
  const pair = pairOf.value.get(node.id)
  return props.pointed.includes(node.id) || (!!pair && props.pointed.includes(pair.key))
}

/** Keys move over the two trees: up and down along one, left and right to the other. */
function step(key: string) {
  const node = here.value ? byId.value.get(here.value) : undefined
  const column = (which: Which) => weave.value.nodes.filter((node) => node.which === which).sort((a, b) => a.y - b.y)
  if (!node) return focus((column('source')[0] ?? column('target')[0])?.id)
  const own = column(node.which)
  if (key === 'ArrowDown' || key === 'ArrowUp') {
    const next = own[own.indexOf(node) + (key === 'ArrowDown' ? 1 : -1)]
    if (next) focus(next.id)
  } else {
    const other = column(node.which === 'source' ? 'target' : 'source')
    const pair = pairOf.value.get(node.id)
    const across = (node.which === 'source' ? pair?.target : pair?.source) ?? []
    const best =
      other.find((candidate) => across.includes(candidate.bone)) ??
      [...other].sort((a, b) => Math.abs(a.y - node.y) - Math.abs(b.y - node.y))[0]
    if (best && (key === 'ArrowRight') === (node.which === 'source')) focus(best.id)
  }
}
function focus(id: string | undefined) {
  if (!id) return
  here.value = id
  void nextTick(() => {
    const found = box.value?.querySelector<HTMLElement>(`[data-id="${CSS.escape(id)}"]`)
    found?.focus({ preventScroll: true })
    found?.scrollIntoView({ block: 'nearest' })
  })
}
function onKey(event: KeyboardEvent) {
  if (event.ctrlKey || event.altKey || event.metaKey) return
  const bone = (event.target as HTMLElement).closest<HTMLElement>('[data-id]')?.dataset.id
  if (event.key === 'Enter' && bone) emit('hold', bone, event.shiftKey)
  else if (event.key.startsWith('Arrow')) step(event.key)
  else return
  event.preventDefault()
  event.stopPropagation()
}
const first = computed(() =>
  here.value && byId.value.has(here.value) ? here.value : weave.value.nodes.find((node) => node.which === 'source')?.id,
)

function under(x: number, y: number): Node | undefined {
  const id = document.elementFromPoint(x, y)?.closest<HTMLElement>('[data-id]')?.dataset.id
  return id ? byId.value.get(id) : undefined
}
const drag = useThreadDrag({
  under,
  over: (node) => emit('point', node.id),
  drop: (from, to, add) => {
    const pair = pairOf.value.get(from.id)
    const [source, target] = from.which === 'source' ? [from, to] : [to, from]
    if (to.which !== from.which) emit('connect', source.bone, target.bone, add)
    // The thread's end goes from one bone to another of the same side.
    else if (pair) emit('move', pair.key, from.which, from.bone, to.bone)
  },
})
/** Where the thread in the hand starts and ends, in the weave's own pixels. */
const loose = computed(() => {
  const now = drag.held.value
  const at = box.value?.getBoundingClientRect()
  if (!now || !at) return null
  const { node } = now
  const pair = pairOf.value.get(node.id)
  const own = ring(node)
  const end = { x: now.x - at.left, y: now.y - at.top }
  const other = (node.which === 'source' ? pair?.target : pair?.source)?.[0]
  const paired = byId.value.get(`${node.which === 'source' ? 'target' : 'source'} ${other}`)
  const across = node.which === 'source' ? end.x > own.x + 24 : end.x < own.x - 24
  return path(paired && !across ? ring(paired) : own, end)
})
function click(node: Node, add: boolean) {
  if (drag.isDrop()) return
  here.value = node.id
  emit('take', node.which, node.bone, add)
}
defineExpose({ focus })
</script>

<template>
  <div
    ref="box"
    class="weave"
    role="group"
    aria-label="The weave: source bones at the left, the character’s at the right"
    :style="{ height: `${weave.height}px` }"
    @keydown="onKey"
    @mouseleave="emit('point', null)"
  >
    <WeaveThreads
      :width="width"
      :height="weave.height"
      :strokes="strokes"
      :threads="threads"
      :loose="loose"
      :pointed="pointed"
      :changed="changed"
      @point="emit('point', $event)"
    />
    <p
      v-for="heading in weave.headings"
      :key="heading.limb"
      class="heading"
      :class="heading.side"
      :style="{ top: `${heading.y}px` }"
    >
      <span>{{ heading.limb }}</span>
    </p>
    <button
      v-for="gap in weave.gaps"
      :key="gap.part"
      class="plain gap"
      :class="{
        required: gap.required,
        out: gap.leftOut,
        lit: pointed.includes(gap.part),
        [gap.lacks || 'none']: true,
      }"
      :style="{ top: `${gap.y}px` }"
      :aria-label="`${gap.part}: ${gapText(gap)}`"
      :title="`${gap.part}: ${gapText(gap)}`"
      tabindex="-1"
      @mouseenter="emit('point', gap.part)"
      @click="emit('gap', gap.part)"
    >
      <span class="sign" aria-hidden="true">{{ gap.leftOut ? '–' : gap.required ? '✕' : '·' }}</span>
      <span class="what">{{ gap.leftOut ? 'left out' : shortPart(gap.part) }}</span>
    </button>
    <button
      v-for="node in weave.nodes"
      :key="node.id"
      class="plain bone"
      :class="[
        node.which,
        sideOf(node.part),
        {
          paired: pairOf.get(node.id)?.source.length,
          lit: lit(node),
          held: held?.which === node.which && held.bone === node.bone,
          changed: changed.includes(pairOf.get(node.id)?.key ?? ''),
          here: here === node.id,
        },
      ]"
      :style="{
        top: `${node.y}px`,
        [node.which === 'source' ? 'right' : 'left']: `${width / 2 + inner + node.depth * 5 - 7}px`,
      }"
      :data-id="node.id"
      :aria-label="boneLabel(node, pairOf.get(node.id))"
      :tabindex="first === node.id ? 0 : -1"
      @mouseenter="emit('point', node.id)"
      @focus="((here = node.id), emit('point', node.id))"
      @pointerdown="drag.press($event, node)"
      @click="click(node, $event.shiftKey)"
      @contextmenu.stop="((here = node.id), emit('menu', $event, node.which, node.bone))"
    >
      <span class="ring" aria-hidden="true"></span><span class="mono name">{{ names[node.which](node.bone) }}</span>
    </button>
  </div>
</template>

<style scoped>
.weave {
  position: relative;
  user-select: none;
}
.heading {
  position: absolute;
  left: 10px;
  right: 10px;
  transform: translateY(-50%);
  text-align: center;
  font-size: 12.5px;
  color: var(--quiet);
  line-height: 1;
  pointer-events: none;
}
.heading::before {
  content: '';
  position: absolute;
  left: 0;
  right: 0;
  top: 50%;
  border-top: 1px solid var(--hairline);
}
.heading span {
  position: relative;
  background: var(--panel);
  padding: 0 8px;
}
.heading.left span {
  color: var(--left);
}
.heading.right span {
  color: var(--right);
}
.bone {
  position: absolute;
  transform: translateY(-50%);
  height: 24px;
  display: flex;
  align-items: center;
  gap: 6px;
  max-width: 34%;
  border-radius: 3px;
  font-size: 13px;
}
.bone.source {
  flex-direction: row-reverse;
  padding: 0 1px 0 6px;
}
.bone.target {
  padding: 0 6px 0 1px;
}
.ring {
  flex: none;
  width: 11px;
  height: 11px;
  border: 1.5px solid var(--ink);
  border-radius: 50%;
  background: var(--panel);
}
.bone.left .ring {
  border-color: var(--left);
}
.bone.right .ring {
  border-color: var(--right);
  border-style: double;
  border-width: 3px;
}
.bone.paired .ring {
  box-shadow:
    inset 0 0 0 1.5px var(--panel),
    inset 0 0 0 6px currentColor;
}
.bone.paired.left .ring {
  box-shadow:
    inset 0 0 0 1.5px var(--panel),
    inset 0 0 0 6px var(--left);
}
.bone.paired.right .ring {
  box-shadow: inset 0 0 0 6px var(--right);
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12.5px;
  line-height: 24px;
}
.bone:not(.paired) .name {
  color: var(--quiet);
}
.bone.lit {
  background: rgb(var(--v-theme-surface-variant));
}
.bone.lit .name {
  color: var(--ink);
}
.bone.held {
  background: var(--accent);
}
.bone.held .name {
  color: rgb(var(--v-theme-on-primary));
}
.bone.changed {
  outline: 2px solid var(--accent);
}
.bone:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: 0;
}
.gap {
  position: absolute;
  left: 50%;
  transform: translate(-50%, -50%);
  height: 24px;
  display: flex;
  align-items: center;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
  white-space: nowrap;
  padding: 0 4px;
  border-radius: 3px;
}
.gap.source {
  left: 33%;
}
.gap.target {
  left: 67%;
}
.gap.required {
  color: var(--wrong);
  border: 1px dashed var(--wrong);
  height: 22px;
  background: var(--panel);
}
.gap.none:not(.required, .out) .what {
  display: none;
}
.gap.lit {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
