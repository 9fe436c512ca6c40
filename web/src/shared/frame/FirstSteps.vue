<script setup lang="ts">
import { useElementBounding, useElementSize, useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { FIRST_STEPS, useFirstSteps } from './firstSteps'

/** One note at a time about the place it is shown at, for who is here for the first time; it covers nothing. */
const route = useRoute()
const { at, read, putAway } = useFirstSteps()
const step = computed(() => at(route.path))
const number = computed(() => (step.value ? FIRST_STEPS.indexOf(step.value) + 1 : 0))

const bar = ref<HTMLElement>()
const { height } = useElementSize(bar, undefined, { box: 'border-box' })
watch(height, (now) => document.documentElement.style.setProperty('--first-steps', `${step.value ? now : 0}px`))
watch(step, (now) => !now && document.documentElement.style.setProperty('--first-steps', '0px'))

/** What the note speaks of, as soon as it is there. */
const target = ref<HTMLElement | null>(null)
const box = useElementBounding(target)
function look() {
  const now = step.value ? document.querySelector<HTMLElement>(step.value.at) : null
  if (now !== target.value) target.value = now
  else if (now) box.update()
}
useIntervalFn(look, 400)
watch(step, look, { flush: 'post' })
const ring = computed(() => ({
  left: `${box.left.value - 5}px`,
  top: `${box.top.value - 5}px`,
  width: `${box.width.value + 10}px`,
  height: `${box.height.value + 10}px`,
}))
</script>

<template>
  <aside v-if="step" ref="bar" class="steps" aria-label="First steps">
    <span class="mono number" aria-hidden="true">{{ number }}</span>
    <p>{{ step.text }}</p>
    <router-link v-if="step.next" class="word" :to="step.next.to" @click="read(step)">{{
      step.next.label
    }}</router-link>
    <button v-else class="plain word" @click="read(step)">I see</button>
    <button class="plain word quiet" title="They come back from the list of keys" @click="putAway()">
      Put these away
    </button>
    <div v-if="target && box.width.value" class="ring" :style="ring" aria-hidden="true"></div>
  </aside>
</template>

<style scoped>
.steps {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 7px 18px;
  background: var(--panel);
  border-bottom: 1px solid var(--hairline);
  font-size: 15px;
}
p {
  flex: 1;
  margin: 0;
}
.number {
  display: inline-grid;
  place-items: center;
  width: 24px;
  height: 24px;
  border-radius: 50%;
  border: 1.5px solid var(--accent);
  flex: none;
}
.word {
  flex: none;
  min-height: 24px;
}
.ring {
  position: fixed;
  pointer-events: none;
  border: 1.5px dashed var(--accent);
  border-radius: 5px;
  z-index: 1500;
}
</style>
