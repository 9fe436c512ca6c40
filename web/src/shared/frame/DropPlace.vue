<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { useIntake } from '@/stores/intake'
import { filesOf, hasFiles } from './dropped'

/** Files may be dropped anywhere. Views that know better take the drop themselves and stop it there. */
const over = ref(false)
const router = useRouter()
let depth = 0

function enter(event: DragEvent) {
  if (!hasFiles(event)) return
  depth += 1
  over.value = true
}
function leave(event: DragEvent) {
  if (!hasFiles(event)) return
  depth = Math.max(0, depth - 1)
  over.value = depth > 0
}
function hover(event: DragEvent) {
  if (hasFiles(event)) event.preventDefault()
}
function clear() {
  depth = 0
  over.value = false
}
async function drop(event: DragEvent) {
  clear()
  if (event.defaultPrevented || !hasFiles(event)) return
  event.preventDefault()
  const files = await filesOf(event.dataTransfer)
  if (!files.length) return
  // While the first view is still being fetched nobody is anywhere.
  await router.isReady().catch(() => undefined)
  // Whoever drops in the Cast looks for a figure there; everything else is laid out in the intake.
  const inCast = router.currentRoute.value.name === 'cast'
  if (!inCast) void router.push('/library/intake')
  await useIntake().bringIn(files, 'auto')
}
onMounted(() => {
  window.addEventListener('dragenter', enter)
  window.addEventListener('dragleave', leave)
  window.addEventListener('dragover', hover)
  // On the way down only the veil goes; on the way up, what nobody took is brought in.
  window.addEventListener('drop', clear, true)
  window.addEventListener('drop', drop)
})
onBeforeUnmount(() => {
  window.removeEventListener('dragenter', enter)
  window.removeEventListener('dragleave', leave)
  window.removeEventListener('dragover', hover)
  window.removeEventListener('drop', clear, true)
  window.removeEventListener('drop', drop)
})
</script>

<template>
  <div v-if="over" class="veil" aria-hidden="true">
    <p>Files and folders are laid out in the intake. On a figure, motion is performed at once.</p>
  </div>
</template>

<style scoped>
.veil {
  position: fixed;
  inset: 58px 9px 9px;
  border: 2px dashed var(--accent);
  border-radius: 6px;
  display: flex;
  align-items: flex-end;
  justify-content: center;
  padding: 18px;
  pointer-events: none;
  z-index: 3000;
}
.veil p {
  background: var(--panel);
  border: 1px solid var(--hairline);
  padding: 8px 16px;
  border-radius: 4px;
}
</style>
