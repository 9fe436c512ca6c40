<script setup lang="ts">
import { useFullscreen } from '@vueuse/core'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import type { Stage } from '@/stage/stage'

/** From where the figures of a stage are looked at, and the stage on the whole screen. */
const props = defineProps<{ stage: Stage }>()
/** Degrees about up from where the figures face, and above the ground. */
const SIDES = [
  { name: '¾', title: 'From the front and a little from the side', from: 18, raised: 8 },
  { name: 'Front', title: 'From the front', from: 0, raised: 4 },
  { name: 'Side', title: 'From the side', from: 90, raised: 4 },
  { name: 'Back', title: 'From the back', from: 180, raised: 4 },
  { name: 'Top', title: 'From the top', from: 0, raised: 89 },
]
let at = 0

function look(to: number) {
  at = (to + SIDES.length) % SIDES.length
  props.stage.turnTo(SIDES[at].from, SIDES[at].raised)
}
// The page, not the stage alone: menus and messages are to be seen there, too. What stands beside it goes by style.css.
const { isFullscreen, isSupported, toggle } = useFullscreen(undefined, { autoExit: true })
useShortcuts('Stage', {
  sideAfter: () => look(at + 1),
  sideBefore: () => look(at - 1),
  alone: () => void toggle(),
})
</script>

<template>
  <div class="tools">
    <div class="choice" role="group" aria-label="Where it is looked at from">
      <button
        v-for="({ name, title }, n) in SIDES"
        :key="name"
        :aria-label="title"
        v-bind="withKey('Stage', 'sideAfter', title)"
        @click="look(n)"
      >
        {{ name }}
      </button>
    </div>
    <div v-if="isSupported" class="choice">
      <button v-bind="withKey('Stage', 'alone')" :aria-pressed="isFullscreen" @click="toggle()">Whole screen</button>
    </div>
  </div>
</template>

<style scoped>
.tools {
  position: absolute;
  right: 10px;
  top: 10px;
  display: flex;
  gap: 8px;
}
.choice button {
  padding: 1px 8px;
  min-height: 24px;
  font-size: 13px;
}
</style>
