<script setup lang="ts">
import type { Object3D } from 'three'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'

import { Refused } from '@/api/client'
import { useMessages } from '@/stores/messages'
import BodyPane from './BodyPane.vue'
import type { Move, PieceShown } from './moves'
import { widthsOf, type Definition, type Focus, type RigRow, type Section, type Triple } from './rigs'

/** The mesh, or a hand of it, from two sides at once. */
const props = defineProps<{
  row: RigRow
  definition: Definition
  selected: string | null
  section: Section | null
  show: 'landmarks' | 'bones' | 'nothing'
  piece: PieceShown | null
  focus: Focus
}>()
defineEmits<{
  select: [name: string]
  try: [name: string, at: Triple]
  keep: []
  letGo: []
  tryMove: [move: Move]
  keepMove: [move: Move]
}>()
const messages = useMessages()
const mesh = shallowRef<Object3D | null>(null)
const loading = ref(true)
const panes = ref<InstanceType<typeof BodyPane>[]>([])
let module: typeof import('@/stage') | undefined
let gone = false

async function fetchMesh() {
  loading.value = true
  try {
    const [stage, response] = await Promise.all([import('@/stage'), fetch(`/api/rigs/${props.row.character_id}/mesh`)])
    module = stage
    if (!response.ok) throw new Refused(`${props.row.name}: its mesh could not be fetched; reload the page.`)
    const { unit, turn } = props.row.facts
    const read = await stage.readBareMesh(await response.arrayBuffer(), { unit, turn })
    if (gone) return stage.disposeMesh(read)
    if (mesh.value) stage.disposeMesh(mesh.value)
    mesh.value = read
  } catch (problem) {
    if (!gone) messages.fail(problem)
  } finally {
    loading.value = false
  }
}
/** What the mesh depends on. */
const shape = computed(() => {
  const { facts, definition } = props.row
  return JSON.stringify([facts.unit, facts.turn, definition.moves, definition.pose])
})
watch(shape, fetchMesh, { immediate: true })
onBeforeUnmount(() => {
  gone = true
  if (mesh.value) module?.disposeMesh(mesh.value)
})
/** The broader the body is from one side, the more room it has there. */
const columns = computed(() => {
  if (props.focus !== 'body') return '1fr 1fr'
  const { front, side } = widthsOf(props.row.definition as Definition)
  const share = Math.min(0.62, Math.max(0.38, front / (front + side || 1)))
  return `${share.toFixed(2)}fr ${(1 - share).toFixed(2)}fr`
})
let close = false
defineExpose({
  /** The whole body, or what is about the landmark in hand. */
  look: () => {
    close = !close
    panes.value.forEach((pane) => (close ? pane.closer() : pane.whole()))
  },
  focus: () => panes.value[0]?.focus(),
})
</script>

<template>
  <div class="views" :style="{ gridTemplateColumns: columns }">
    <BodyPane
      v-for="side in ['front', 'side'] as const"
      ref="panes"
      :key="side"
      :side="side"
      :mesh="mesh"
      :row="row"
      :definition="definition"
      :selected="selected"
      :section="section"
      :show="show"
      :piece="piece"
      :focus="focus"
      @select="$emit('select', $event)"
      @try="(name, at) => $emit('try', name, at)"
      @keep="$emit('keep')"
      @let-go="$emit('letGo')"
      @try-move="$emit('tryMove', $event)"
      @keep-move="$emit('keepMove', $event)"
    />
    <p v-if="loading" class="quiet loading" role="status">Fetching the mesh …</p>
  </div>
</template>

<style scoped>
.views {
  position: relative;
  flex: 1;
  display: grid;
  min-height: 0;
  border-top: 1px solid var(--hairline);
}
.loading {
  position: absolute;
  left: 18px;
  bottom: 10px;
}
</style>
