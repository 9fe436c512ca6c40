<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import ClipPlate from '@/features/library/ClipPlate.vue'
import { useLibrary } from '@/stores/library'

/** A clip to go on with, found by its name: those of the same skeleton first. */
const props = withDefaults(defineProps<{ skeleton?: number; not?: number; word?: string }>(), {
  skeleton: 0,
  not: 0,
  word: 'then …',
})
const emit = defineEmits<{ add: [clip: number] }>()
const library = useLibrary()
const open = ref(false)
const text = ref('')
const field = ref<HTMLInputElement>()
const MOST = 60
const found = computed(() => {
  const wanted = text.value.trim().toLowerCase()
  const own = (id: number) => (id === props.skeleton ? 0 : 1)
  return library.present
    .filter((clip) => clip.id !== props.not && clip.name.toLowerCase().includes(wanted))
    .sort((a, b) => own(a.skeleton_id) - own(b.skeleton_id) || a.name.localeCompare(b.name))
    .slice(0, MOST)
})
async function show() {
  text.value = ''
  await nextTick()
  // The menu is drawn by then; its field takes the focus.
  setTimeout(() => field.value?.focus())
}
function add(clip: number) {
  open.value = false
  emit('add', clip)
}
function down(event: KeyboardEvent) {
  const rows = [...((event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('.row') ?? [])]
  const at = rows.indexOf(document.activeElement as HTMLElement)
  const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key]
  if (to === undefined) return
  event.preventDefault()
  event.stopPropagation()
  if (to < 0) field.value?.focus()
  else rows[Math.min(to, rows.length - 1)]?.focus()
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" @update:model-value="$event && show()">
    <template #activator="{ props: menu }"
      ><button class="plain word next" v-bind="menu" title="Choose the clip that it goes on with">
        {{ word }}
      </button></template
    >
    <v-card class="chooser" @keydown="down">
      <input
        ref="field"
        v-model="text"
        placeholder="find a clip"
        aria-label="The clip that it goes on with"
        @keydown.enter="found.length && add(found[0].id)"
      />
      <div class="rows">
        <button v-for="clip in found" :key="clip.id" class="plain row" @click="add(clip.id)">
          <span class="plate"><ClipPlate :clip="clip" /></span>
          <span
            >{{ clip.name }}
            <span v-if="skeleton && clip.skeleton_id !== skeleton" class="quiet">of another skeleton</span></span
          >
          <span class="mono quiet">{{ clip.seconds.toFixed(1) }} s</span>
        </button>
        <p v-if="!found.length" class="quiet">No clip is called like that.</p>
      </div>
    </v-card>
  </v-menu>
</template>

<style scoped>
.next {
  font-size: 14px;
  white-space: nowrap;
}
.chooser {
  background: var(--panel);
  padding: 10px;
  width: 380px;
  display: grid;
  gap: 8px;
}
input {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--panel);
  color: inherit;
  font: inherit;
  font-size: 14px;
  padding: 3px 7px;
  min-height: 30px;
}
.rows {
  max-height: 300px;
  overflow-y: auto;
}
.row {
  display: grid;
  grid-template-columns: 92px 1fr auto;
  gap: 10px;
  align-items: center;
  width: 100%;
  font-size: 14px;
  padding: 2px 4px;
}
.row:hover,
.row:focus-visible {
  background: var(--paper);
}
.plate {
  height: 40px;
}
</style>
