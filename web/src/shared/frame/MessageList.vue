<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { inUnits } from '@/shared/units'
import { useMessages } from '@/stores/messages'

const messages = useMessages()
const route = useRoute()
/** Where a view has its actions along the bottom, messages stand above them. */
const raised = computed(() => route.path.startsWith('/board'))
/** Where a figure's sheet is open, its actions are in that corner. */
const beside = computed(() => route.path === '/cast' && Boolean(route.query.character ?? route.query.waiting))
</script>

<template>
  <div :class="['messages', { raised, beside }]" role="status" aria-live="polite">
    <div v-for="message in messages.list" :key="message.id" :class="['message', message.kind]">
      <span class="mark" aria-hidden="true">{{ message.kind === 'wrong' ? '✕' : '✓' }}</span>
      <span class="text">{{ inUnits(message.text) }}</span>
      <router-link v-if="message.to" :to="message.to.path" @click="messages.dismiss(message.id)">{{
        message.to.label
      }}</router-link>
      <button v-if="message.act" class="plain word" @click="(message.act.run(), messages.dismiss(message.id))">
        {{ message.act.label }}
      </button>
      <button class="plain word" @click="messages.dismiss(message.id)">Dismiss</button>
    </div>
  </div>
</template>

<style scoped>
.messages {
  position: fixed;
  right: 16px;
  bottom: 16px;
  display: grid;
  gap: 8px;
  max-width: min(560px, 90vw);
  z-index: 2900;
}
.raised {
  bottom: 132px;
}
.beside {
  right: 334px;
  max-width: min(560px, calc(90vw - 334px));
}
.message {
  display: flex;
  gap: 12px;
  align-items: baseline;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-left: 3px solid var(--ink);
  padding: 9px 14px;
  border-radius: 3px;
}
.message.wrong {
  border-left-color: var(--wrong);
}
.message.wrong .mark {
  color: var(--wrong);
}
.text {
  flex: 1;
  overflow-wrap: anywhere;
}
</style>
