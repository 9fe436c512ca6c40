<script setup lang="ts">
import type { Schemas } from '@/api/client'
import BoneStrip from './BoneStrip.vue'
import CloserLook from './CloserLook.vue'
import type { usePlayer } from './player'
import PoseRibbon, { type RibbonRow } from './PoseRibbon.vue'
import TransportBar from './TransportBar.vue'
import type { MotionStudy } from './useMotionStudy'
import type { PlayedRange } from './useRange'

/** Under a stage with a figure: the transport, its end by the slot, the ribbon, and what is looked at more closely. */
const props = defineProps<{
  player: ReturnType<typeof usePlayer>
  range: PlayedRange
  study: MotionStudy
  frames: number
  fps: number
  rows: RibbonRow[]
  shown: number[]
  findings: Schemas['FindingOut'][]
}>()
const { frame, go } = props.player
</script>

<template>
  <TransportBar :player="player" :frames="frames" :fps="fps">
    <template #tools><CloserLook :study="study" :range="range" :frame="frame" /></template>
    <slot />
  </TransportBar>
  <PoseRibbon
    :frames="frames"
    :fps="fps"
    :frame="frame"
    :rows="rows"
    :expected="2"
    :shown="shown"
    :findings="findings"
    :range="range.chosen.value ? range.played.value : undefined"
    @frame="go"
    @range="range.set"
  />
  <BoneStrip :study="study" :frame="frame" />
</template>
