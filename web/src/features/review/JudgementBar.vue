<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import StateMark from '@/features/board/StateMark.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import type { State } from '@/stores/board'
import type { Rendition } from '@/stores/renditions'

/**
 * What is looked at, and what can be said of it: accepted, sent back with a note, or mended first. judged: the id of
 * what is judged, which is known before its rendition is there; a note can be begun by then.
 */
const props = defineProps<{ rendition: Rendition; judged: number | undefined }>()
const emit = defineEmits<{
  accept: []
  sendBack: [note: string]
  update: []
  fitting: []
  touchUp: []
  intoFile: []
  next: []
}>()
const writing = ref(false)
const note = ref('')
const field = ref<HTMLInputElement>()

watch(
  () => props.judged,
  () => (writing.value = false),
)
async function write(before: string) {
  writing.value = true
  note.value = before
  await nextTick()
  field.value?.focus()
}
function send() {
  writing.value = false
  emit('sendBack', note.value)
}
defineExpose({ write })
</script>

<template>
  <div class="bar">
    <h1>
      {{ rendition.clip }} <span class="quiet">{{ rendition.casting_id ? 'by' : 'on' }} {{ rendition.character }}</span>
    </h1>
    <span class="state">
      <StateMark :state="rendition.state as State" :kept="!!rendition.accepted_id" /> {{ rendition.state }}
    </span>
    <span class="space"></span>
    <v-btn v-if="rendition.state === 'out of date'" size="small" class="doing" @click="emit('update')"
      >Bring up to date</v-btn
    >
    <v-btn
      v-else
      size="small"
      :class="{ doing: rendition.state !== 'accepted' }"
      v-bind="withKey('Review', 'accept')"
      :disabled="rendition.state === 'accepted' || !rendition.newest"
      @click="emit('accept')"
      >Accept</v-btn
    >
    <v-btn
      size="small"
      :disabled="!rendition.newest"
      v-bind="withKey('Review', 'sendBack')"
      @click="write(rendition.note)"
      >Send back</v-btn
    >
    <v-btn v-if="rendition.casting_id" size="small" v-bind="withKey('Review', 'fitting')" @click="emit('fitting')"
      >Ensemble at this frame</v-btn
    >
    <template v-else>
      <v-btn size="small" v-bind="withKey('Review', 'touchUp', 'At this frame')" @click="emit('touchUp')"
        >Touch up</v-btn
      >
      <v-btn size="small" v-bind="withKey('Review', 'fitting')" @click="emit('fitting')">Fitting at this frame</v-btn>
      <v-btn size="small" :disabled="!rendition.newest" @click="emit('intoFile')">Into a file</v-btn>
    </template>
    <v-btn size="small" v-bind="withKey('Review', 'next')" @click="emit('next')">Next</v-btn>
  </div>
  <form v-if="writing" class="note" @submit.prevent="send">
    <label for="note">What is to be mended</label>
    <input id="note" ref="field" v-model="note" maxlength="1000" autocomplete="off" @keydown.esc="writing = false" />
    <v-btn size="small" type="submit" class="doing" :disabled="!note.trim()">Send back</v-btn>
    <button type="button" class="plain word" @click="writing = false">Leave it</button>
  </form>
  <p v-else-if="rendition.note" class="due">Sent back: {{ rendition.note }}</p>
  <p v-if="rendition.state === 'out of date'" class="due">
    {{ rendition.changed.join(' and ') }} changed since it was made.
  </p>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 8px 18px;
  flex-wrap: wrap;
  background: var(--panel);
}
.state {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.note {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 0 18px 8px;
  background: var(--panel);
  font-size: 14px;
}
.note input {
  flex: 1;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  padding: 3px 8px;
  min-height: 28px;
}
.due {
  padding: 0 18px 6px;
  background: var(--panel);
  color: var(--wrong);
  font-size: 14px;
}
</style>
