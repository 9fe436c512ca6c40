<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import { useTimeFormat } from '@/shared/player/timeFormat'
import { firstFrame, lengthUnit, lengthWord, LENGTH_UNITS } from '@/shared/units'
import { chooseDrawing, chosenDrawing, type Drawing } from '@/stage/drawing'
import { BUTTONS, choosePointerButtons, pointerButtons, type Drag, type PointerButtons } from '@/stage/pointerButtons'
import { useMessages } from '@/stores/messages'
import { chooseTheme, chosenTheme } from '@/theme'

/** What somebody prefers, kept for this browser. */
const open = defineModel<boolean>({ required: true })
const close = ref<HTMLButtonElement>()
onMounted(() => setTimeout(() => close.value?.focus(), 30))

const theme = useTheme()
const shown = computed(() => theme.global.name.value) // what is chosen is not reactive by itself; this is
const light = computed({ get: () => (shown.value, chosenTheme() ?? ''), set: (now) => chooseTheme(now || null) })
const time = useTimeFormat()
const first = computed({ get: () => firstFrame.value, set: (now) => (firstFrame.value = now) })
const length = computed({ get: () => lengthUnit.value, set: (now) => (lengthUnit.value = now) })

const drawing = ref<Drawing | ''>(chosenDrawing() ?? '')
const whole = useLocalStorage('armuto.whole-meshes', false)
const NEXT = 'Figures are drawn so from the next view on.'
watch(drawing, (now) => {
  chooseDrawing(now || null)
  useMessages().say(NEXT)
})
watch(whole, () => useMessages().say(NEXT))

const pointer = ref<PointerButtons>(pointerButtons())
const DRAGS: Record<Drag, string> = {
  turn: 'turns around what is looked at',
  move: 'moves it',
  closer: 'comes closer, goes farther',
  nothing: 'does nothing',
}
const SIDES = ['left', 'middle', 'right'] as const
watch(pointer, (now) => choosePointerButtons(now), { deep: true })
const isUsual = computed(() => JSON.stringify(pointer.value) === JSON.stringify(BUTTONS))
</script>

<template>
  <v-dialog v-model="open" max-width="600" scrollable aria-label="Preferences">
    <v-card class="card">
      <div class="head">
        <h1>Preferences</h1>
        <button ref="close" class="plain word" @click="open = false">Close</button>
      </div>
      <p class="quiet">They are kept for this browser.</p>
      <h2>The page</h2>
      <label
        ><span>Day and night</span>
        <select v-model="light">
          <option value="">as the system has it</option>
          <option value="paper">day</option>
          <option value="night">night</option>
        </select></label
      >
      <label
        ><span>Time beside frames</span>
        <select v-model="time">
          <option value="seconds">seconds</option>
          <option value="timecode">minutes, seconds and frames</option>
        </select></label
      >
      <label
        ><span>The first frame is</span>
        <select v-model="first">
          <option :value="0">frame 0</option>
          <option :value="1">frame 1</option>
        </select></label
      >
      <label
        ><span>Lengths</span>
        <select v-model="length">
          <option v-for="unit in LENGTH_UNITS" :key="unit" :value="unit">{{ lengthWord(unit) }}</option>
        </select></label
      >
      <h2>Figures</h2>
      <label
        ><span>Drawing</span>
        <select v-model="drawing">
          <option value="">as the machine can</option>
          <option value="full">fully: shadows, ink lines, smooth edges</option>
          <option value="plain">plainly, without a graphics card</option>
        </select></label
      >
      <label class="tick"
        ><input v-model="whole" type="checkbox" /> Whole meshes instead of light copies, which takes longer</label
      >
      <h2>The pointer on a stage</h2>
      <label v-for="side in SIDES" :key="side"
        ><span>With the {{ side }} button</span>
        <select v-model="pointer[side]">
          <option v-for="(does, drag) in DRAGS" :key="drag" :value="drag">{{ does }}</option>
        </select></label
      >
      <label class="tick"
        ><input v-model="pointer.wheelAway" type="checkbox" /> The wheel goes farther when it is turned away from
        me</label
      >
      <button v-if="!isUsual" class="plain word usual" @click="pointer = { ...BUTTONS }">As usual</button>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 20px 24px;
  background: var(--panel);
}
.head {
  display: flex;
  justify-content: space-between;
}
h2 {
  margin: 16px 0 6px;
  padding-bottom: 3px;
  border-bottom: 1px solid var(--hairline);
}
label {
  display: grid;
  grid-template-columns: 12rem 1fr;
  gap: 10px;
  align-items: center;
  min-height: 34px;
}
.tick {
  grid-template-columns: auto 1fr;
  justify-content: start;
}
.usual {
  justify-self: start;
  min-height: 24px;
}
</style>
