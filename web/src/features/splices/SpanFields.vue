<script setup lang="ts">
import { spanMoved, spanRemoved, type Part, type Rearranged, type Span, type Splice } from './splices'

/** The spans in their order, each with how often it is gone through; earlier, later, or out. */
const props = defineProps<{ splice: Splice; parts: Part[]; chosen: number }>()
const emit = defineEmits<{
  keep: [at: number, changes: Partial<Span>]
  rearrange: [wanted: Rearranged]
  choose: [join: number]
}>()
const partOf = (span: Span) => props.parts.find((part) => part.key === span.clip)
const give = (wanted: Rearranged | null) => wanted && emit('rearrange', wanted)
const repeat = (at: number, by: number) => {
  const times = props.splice.spans[at].repeat + by
  if (times >= 1 && times <= 200) emit('keep', at, { repeat: times })
}
</script>

<template>
  <ol class="spans" aria-label="The spans in their order">
    <li v-for="(span, at) in splice.spans" :key="at" :class="{ near: at === chosen || at === chosen + 1 }">
      <button class="plain what" @click="emit('choose', Math.min(at, splice.spans.length - 2))">
        {{ partOf(span)?.name ?? 'a clip that is gone' }}
        <span v-if="partOf(span) && !partOf(span)!.own" class="quiet">of another skeleton</span>
      </button>
      <span class="times" role="group" :aria-label="`How often span ${at + 1} is gone through`">
        <button
          class="plain step"
          :disabled="span.repeat <= 1"
          :aria-label="`Span ${at + 1} once less`"
          @click="repeat(at, -1)"
        >
          −
        </button>
        <span class="mono">×{{ span.repeat }}</span>
        <button class="plain step" :aria-label="`Span ${at + 1} once more`" @click="repeat(at, 1)">+</button>
      </span>
      <button
        class="plain step"
        :disabled="!at"
        :aria-label="`Span ${at + 1} earlier`"
        title="Earlier"
        @click="give(spanMoved(splice, at, -1))"
      >
        ↑
      </button>
      <button
        class="plain step"
        :disabled="at === splice.spans.length - 1"
        :aria-label="`Span ${at + 1} later`"
        title="Later"
        @click="give(spanMoved(splice, at, 1))"
      >
        ↓
      </button>
      <button
        class="plain step"
        :disabled="splice.spans.length < 2"
        :aria-label="`Take span ${at + 1} out`"
        title="Take it out"
        @click="give(spanRemoved(splice, at))"
      >
        ×
      </button>
    </li>
  </ol>
</template>

<style scoped>
.spans {
  list-style: none;
  margin: 0;
  padding: 2px 14px;
  max-height: 138px;
  overflow-y: auto;
  font-size: 14px;
}
li {
  display: flex;
  gap: 2px;
  align-items: center;
  min-height: 26px;
}
.what {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-height: 24px;
}
.near .what {
  font-weight: 500;
}
.times {
  display: inline-flex;
  align-items: center;
  font-size: 13px;
  margin-right: 8px;
}
.step {
  width: 24px;
  min-height: 24px;
  text-align: center;
}
.step:disabled {
  opacity: 0.3;
  cursor: default;
}
</style>
