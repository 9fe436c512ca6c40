<script setup lang="ts">
import type { useRings } from './useRings'

/** Which of several bones under the pointer is meant. */
type Menu = NonNullable<ReturnType<typeof useRings>['atPointer']['value']>
defineProps<{ at: Menu }>()
defineEmits<{ pick: [ring: Menu['rings'][number], add: boolean]; point: [key: string] }>()
</script>

<template>
  <ul class="rings" role="menu" aria-label="Which bone" :style="{ left: `${at.x}px`, top: `${at.y}px` }">
    <li v-for="ring in at.rings" :key="ring.which + ring.bone">
      <button
        class="plain"
        role="menuitem"
        @click="$emit('pick', ring, $event.shiftKey)"
        @mouseenter="$emit('point', `${ring.which} ${ring.bone}`)"
      >
        <span class="mono">{{ ring.bone }}</span><span class="quiet">{{ ring.part || 'outside the plan' }}</span>
      </button>
    </li>
  </ul>
</template>

<style scoped>
.rings {
  position: absolute;
  z-index: 4;
  list-style: none;
  margin: 0;
  padding: 3px 0;
  min-width: 200px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 4px;
}
.rings button {
  display: flex;
  justify-content: space-between;
  gap: 14px;
  width: 100%;
  padding: 4px 10px;
  min-height: 28px;
}
.rings button:hover,
.rings button:focus-visible {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
