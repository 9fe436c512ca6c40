<script setup lang="ts">
import { withKey } from '@/shared/shortcuts/shortcuts'

/** How far a binding is, over the lower edge of what stands above it: what a hand is drawing there stays in place. */
defineProps<{ share: number | null; doing: string; stopped: boolean }>()
defineEmits<{ stop: []; again: [] }>()
</script>

<template>
  <div class="edge">
    <div v-if="share !== null" class="work" role="group" aria-label="Binding">
      <progress :value="share" max="1" aria-label="How far the binding is"></progress>
      <span class="quiet" role="status">{{ doing }}</span>
      <button class="plain word" v-bind="withKey('Bones', 'stop')" @click="$emit('stop')">Stop</button>
    </div>
    <div v-else-if="stopped" class="work">
      <span role="status">The binding was stopped.</span>
      <button class="plain word" @click="$emit('again')">Bind it</button>
    </div>
  </div>
</template>

<style scoped>
.edge {
  position: relative;
  height: 0;
}
.work {
  position: absolute;
  right: 12px;
  bottom: 10px;
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 6px 12px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 4px;
  font-size: 14px;
}
progress {
  width: 120px;
  height: 6px;
  accent-color: var(--accent);
}
</style>
