<script setup lang="ts">
import { computed } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { frameNumber } from '@/shared/units'
import type { usePlayer } from './player'
import { timeOf, useTimeFormat } from './timeFormat'

/** Play, step, repeat, and where in time the frame is. */
const props = defineProps<{ player: ReturnType<typeof usePlayer>; frames: number; fps: number }>()
const { frame, playing, loop, speed, step } = props.player
const SPEEDS = [0.1, 0.25, 0.5, 1, 2]
const format = useTimeFormat()
/** As wide in every frame, so that nothing beside it moves. */
const time = computed(() => {
  const number = String(frameNumber(frame.value)).padStart(4, '\u2007')
  const time = timeOf(frame.value, props.fps, format.value)
  return `${number} of ${frameNumber(props.frames - 1)} · ${time} · ${+props.fps.toFixed(3)} fps`
})
</script>

<template>
  <div class="transport">
    <button
      class="plain play"
      :aria-label="playing ? 'Pause' : 'Play'"
      v-bind="withKey('Playing', 'play')"
      @click="playing = !playing"
    >
      <svg width="16" height="16" aria-hidden="true">
        <path v-if="playing" d="M3 2h3.6v12H3zM9.4 2H13v12H9.4z" fill="currentColor" />
        <path v-else d="M3 1.5 14 8 3 14.5z" fill="currentColor" />
      </svg>
      {{ playing ? 'Pause' : 'Play' }}
    </button>
    <button class="plain word" aria-label="One frame back" v-bind="withKey('Playing', 'back')" @click="step(-1)">
      Back
    </button>
    <button class="plain word" aria-label="One frame on" v-bind="withKey('Playing', 'on')" @click="step(1)">On</button>
    <v-menu>
      <template #activator="{ props: menu }"
        ><button class="plain word speed" title="How fast it is played" v-bind="menu">
          Speed {{ speed }}
        </button></template
      >
      <v-list density="compact"
        ><v-list-item
          v-for="choice in SPEEDS"
          :key="choice"
          :title="choice === 1 ? '1, as it is' : String(choice)"
          :active="choice === speed"
          @click="speed = choice"
      /></v-list>
    </v-menu>
    <label class="loop"><input v-model="loop" type="checkbox" /> Repeat</label>
    <span class="mono time">{{ time }}</span>
    <slot name="tools" />
    <span class="space"></span>
    <slot />
  </div>
</template>

<style scoped>
.transport {
  display: flex;
  align-items: center;
  gap: 2px 14px;
  padding: 7px 18px;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  flex-wrap: wrap;
}
.play {
  display: flex;
  align-items: center;
  gap: 7px;
  min-width: 76px;
  min-height: 28px;
}
.speed {
  min-width: 74px;
  text-align: left;
}
.loop {
  display: flex;
  gap: 5px;
  align-items: center;
  min-height: 24px;
}
.time {
  white-space: pre;
}
</style>
