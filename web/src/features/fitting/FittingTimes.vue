<script setup lang="ts">
import type { Schemas } from '@/api/client'
import TouchUpTimes from '@/features/touchups/TouchUpTimes.vue'
import type { TouchUps } from '@/features/touchups/useTouchUps'
import BoneStrip from '@/shared/player/BoneStrip.vue'
import CloserLook from '@/shared/player/CloserLook.vue'
import type { usePlayer } from '@/shared/player/player'
import PoseRibbon, { type RibbonRow } from '@/shared/player/PoseRibbon.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import type { MotionStudy } from '@/shared/player/useMotionStudy'
import type { PlayedRange } from '@/shared/player/useRange'
import ContactStrips from './ContactStrips.vue'
import type { Leaf } from './leaves'
import type { useSettling } from './useSettling'

/** Everything under the stage of a fitting that stands on one time scale. The slot is the end of the transport. */
const props = defineProps<{
  player: ReturnType<typeof usePlayer>
  range: PlayedRange
  study: MotionStudy
  frames: number
  fps: number
  rows: RibbonRow[]
  shown: number[]
  findings: Schemas['FindingOut'][]
  leaf: Leaf
  touchups: TouchUps
  settling: ReturnType<typeof useSettling>
}>()
const { frame, playing, loop, speed, go, step } = props.player
const contacts = props.settling.contacts
</script>

<template>
  <TransportBar
    v-model:playing="playing"
    v-model:loop="loop"
    v-model:speed="speed"
    :frame="frame"
    :frames="frames"
    :fps="fps"
    @step="step"
  >
    <template #tools><CloserLook :study="study" :range="range" :frame="frame" /></template>
    <slot />
  </TransportBar>
  <PoseRibbon
    :frames="frames"
    :fps="fps"
    :frame="frame"
    :rows="rows"
    :shown="shown"
    :findings="findings"
    :range="range.chosen.value ? range.played.value : undefined"
    @frame="go"
    @range="range.set"
  />
  <BoneStrip :study="study" :frame="frame" />
  <TouchUpTimes v-if="leaf === 'touchup'" :touchups="touchups" :frames="frames" :frame="frame" :fps="fps" @frame="go" />
  <ContactStrips
    v-if="leaf === 'transfer' && contacts"
    :frames="frames"
    :frame="frame"
    :contacts="contacts"
    @frame="go"
    @set="settling.setContacts"
  />
</template>
