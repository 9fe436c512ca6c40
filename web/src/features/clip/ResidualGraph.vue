<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { inUnits } from '@/shared/units'
import { useLatest } from '@/shared/useLatest'

/**
 * What a low pass takes off a bone, by its cutoff, with the line that noise alone would give; a cutoff is chosen by a
 * click or the arrow keys. digest: changes with what is to be smoothed. cutoff: that of the step, if one is said.
 */
const props = defineProps<{ clip: number; bone: number; name: string; digest: string; cutoff: number | null }>()
const emit = defineEmits<{ cutoff: [hertz: number] }>()
const HEIGHT = 84
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

const found = shallowRef<Schemas['ResidualOut'] | null>(null)
const sentence = ref('')
const latest = useLatest()
watch(
  () => [props.clip, props.bone, props.digest],
  async () => {
    sentence.value = ''
    const params = { path: { clip_id: props.clip }, query: { bone: props.bone } }
    try {
      await latest(
        () => answer(client.GET('/api/library/clips/{clip_id}/residual', { params })),
        (made) => (found.value = made),
      )
    } catch (problem) {
      found.value = null
      sentence.value = (problem as Error).message
    }
  },
  { immediate: true },
)
const quickest = computed(() => found.value?.cutoffs.at(-1) ?? 1)
/** What the graph shows up to: noise is small beside what the slowest cutoffs take off. */
const top = computed(() => {
  const values = found.value?.degrees ?? []
  const noise = found.value?.noise[0] ?? 0
  return Math.max(1e-3, Math.min(Math.max(...values, 0), Math.max(noise * 3, (values[values.length >> 3] ?? 1) * 1.5)))
})
const x = (hertz: number) => 24 + (hertz / quickest.value) * (width.value - 48)
const y = (degrees: number) => HEIGHT - 16 - (Math.min(degrees, top.value) / top.value) * (HEIGHT - 24)
const path = computed(() =>
  (found.value?.cutoffs ?? [])
    .map((hertz, n) => `${n ? 'L' : 'M'}${x(hertz).toFixed(1)} ${y(found.value!.degrees[n]).toFixed(1)}`)
    .join(''),
)
const line = computed(() => {
  const [noise, slope] = found.value?.noise ?? [0, 0]
  return noise > 0 ? [y(noise), y(Math.max(0, noise + slope * quickest.value))] : null
})
const shown = computed(() => props.cutoff ?? found.value?.cutoff ?? null)
const ticks = computed(() => {
  const step = [1, 2, 5, 10, 20].find((hertz) => quickest.value / hertz <= 12) ?? 50
  return Array.from({ length: Math.floor(quickest.value / step) }, (_, n) => (n + 1) * step)
})
const within = (hertz: number) => Math.round(Math.max(0.5, Math.min(60, quickest.value, hertz)) * 10) / 10
function pick(event: MouseEvent) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  emit('cutoff', within(((event.clientX - box.left - 24) / (width.value - 48)) * quickest.value))
}
function key(event: KeyboardEvent) {
  const by = { ArrowLeft: -0.5, ArrowRight: 0.5 }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  emit('cutoff', within((shown.value ?? quickest.value / 2) + by))
}
</script>

<template>
  <div ref="root" class="residual">
    <p v-if="sentence" class="quiet">{{ inUnits(sentence) }}</p>
    <template v-else-if="found">
      <p class="quiet">
        What a low pass would take off {{ name }}, in degrees by its cutoff in Hz.
        <template v-if="found.cutoff"
          >Its noise of {{ found.noise[0].toFixed(2) }}° leads to
          <button class="plain word" @click="emit('cutoff', within(found.cutoff))">
            {{ found.cutoff.toFixed(1) }} Hz
          </button></template
        >
        <template v-else>It shows no noise.</template>
        <template v-if="cutoff !== null"> The step cuts off at {{ cutoff.toFixed(1) }} Hz.</template>
      </p>
      <svg
        :width="width"
        :height="HEIGHT"
        role="slider"
        tabindex="0"
        :aria-label="`Cutoff for ${name}, Hz`"
        :aria-valuenow="shown ?? undefined"
        aria-valuemin="0.5"
        :aria-valuemax="quickest"
        @click="pick"
        @keydown="key"
      >
        <g v-for="hertz in ticks" :key="hertz">
          <line :x1="x(hertz)" :x2="x(hertz)" :y1="HEIGHT - 16" :y2="HEIGHT - 12" class="tick" />
          <text :x="x(hertz)" :y="HEIGHT - 2" class="mono">{{ hertz }}</text>
        </g>
        <line x1="24" :x2="width - 24" :y1="HEIGHT - 16" :y2="HEIGHT - 16" class="tick" />
        <line v-if="line" x1="24" :x2="width - 24" :y1="line[0]" :y2="line[1]" class="noise" />
        <line v-if="found.cutoff" :x1="x(found.cutoff)" :x2="x(found.cutoff)" y1="4" :y2="HEIGHT - 16" class="noise" />
        <path :d="path" />
        <line v-if="cutoff !== null" :x1="x(cutoff)" :x2="x(cutoff)" y1="4" :y2="HEIGHT - 16" class="chosen" />
      </svg>
    </template>
  </div>
</template>

<style scoped>
.residual {
  min-height: 108px;
}
p {
  padding: 0 18px;
  font-size: 13px;
}
svg {
  display: block;
  cursor: crosshair;
}
text {
  font-size: 11px;
  fill: var(--quiet);
  text-anchor: middle;
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.tick {
  stroke: var(--hairline);
}
.noise {
  stroke: var(--quiet);
  stroke-width: 1;
  stroke-dasharray: 4 3;
}
.chosen {
  stroke: var(--accent);
  stroke-width: 1.5;
}
</style>
