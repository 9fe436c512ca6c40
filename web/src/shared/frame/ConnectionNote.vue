<script setup lang="ts">
import { useConnection } from '@/stores/connection'

/** One line while the studio does not answer, in place of a message for everything that it did not answer. */
const connection = useConnection()
</script>

<template>
  <div role="status">
    <p v-if="connection.lost" class="note">
      The studio does not answer. Everything that was kept is safe; the page goes on by itself once it is there again.
    </p>
  </div>
</template>

<style scoped>
.note {
  position: fixed;
  left: 16px;
  bottom: 16px;
  z-index: 2950;
  max-width: 31rem;
  padding: 8px 14px;
  border: 1px solid var(--hairline);
  border-left: 3px solid var(--wrong);
  border-radius: 3px;
  background: var(--panel);
  pointer-events: none; /* what lies beneath can be reached all the same */
}
</style>
