<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { useArrivals } from '@/stores/arrivals'
import { chooseTheme } from '@/theme'
import { useIntake } from '@/stores/intake'
import { timeLeft, useRuns } from '@/stores/runs'

const emit = defineEmits<{ find: []; keys: [] }>()
const runs = useRuns()
const arrivals = useArrivals()
const intake = useIntake()
const theme = useTheme()
const route = useRoute()

const PLACES = [
  { to: '/callsheet', word: 'Call sheet', key: 'wanted' },
  { to: '/library', word: 'Library', key: 'clips' },
  { to: '/cast', word: 'Cast', key: 'characters' },
  { to: '/fittings', word: 'Fittings', key: 'fittings' },
  { to: '/board', word: 'Board', key: 'renditions' },
  { to: '/delivery', word: 'Delivery', key: 'accepted' },
] as const
/** As many as there were when the studio was last open here: until that is known, nothing beside it moves. */
const remembered = useLocalStorage<Record<string, number>>('armuto.counts', {})
watch(
  () => runs.counts,
  (now) => now && (remembered.value = Object.fromEntries(PLACES.map(({ key }) => [key, now[key]]))),
)
const places = computed(() =>
  PLACES.map((place) => ({ ...place, count: (runs.counts ?? remembered.value)[place.key] as number | undefined })),
)
const work = computed(() => {
  if (arrivals.busy) return bringing()
  const waiting = intake.summary
  if (waiting?.accepting) {
    const done = intake.accepted - waiting.accepting
    return {
      text: `Taking in ${done + 1} of ${intake.accepted}`,
      share: done / Math.max(1, intake.accepted),
      to: '/library/intake',
    }
  }
  if (waiting?.reading)
    return {
      text: `Reading ${waiting.reading} more ${waiting.reading === 1 ? 'file' : 'files'}`,
      share: 0.5,
      to: '/library/intake',
    }
  const now = runs.running
  if (!now.length) return null
  const total = now.reduce((sum, run) => sum + run.total, 0)
  const through = now.reduce((sum, run) => sum + run.through, 0)
  const left = timeLeft(
    now.reduce<number | null>((most, run) => (run.left === null ? most : Math.max(most ?? 0, run.left)), null),
  )
  return { text: `${through} of ${total}${left ? `, ${left}` : ''}`, share: through / Math.max(1, total), to: '/runs' }
})
/** Within an archive, its own files are counted. */
function bringing() {
  const inside = arrivals.inside
  const [done, total] = inside ? [inside.done, inside.total] : [arrivals.done, arrivals.total]
  return { text: `Bringing in ${arrivals.name}, ${Math.min(done + 1, total)} of ${total}`, share: done / total, to: '' }
}
const isNight = computed(() => theme.global.name.value === 'night')
</script>

<template>
  <header>
    <router-link to="/library" class="mark" aria-label="Armuto, to the library">
      <svg viewBox="0 0 30 26" width="26" height="23" aria-hidden="true">
        <g fill="none" stroke-linecap="round" stroke-width="1.6">
          <path d="M4 24 L9 13 L6 3" opacity="0.25" stroke="currentColor" />
          <path d="M11 24 L14.5 13 L13.5 3" opacity="0.5" stroke="currentColor" />
          <path d="M18 24 L20.5 13 L22 3" stroke="currentColor" />
        </g>
        <circle cx="20.5" cy="13" r="2.3" fill="var(--panel)" stroke="var(--accent)" stroke-width="1.6" />
      </svg>
      Armuto
    </router-link>
    <nav aria-label="The work in its order">
      <template v-for="(place, n) in places" :key="place.to">
        <span v-if="n" class="dot" aria-hidden="true">·</span>
        <router-link :to="place.to" :class="{ here: route.path.startsWith(place.to) }">
          {{ place.word }}<span v-if="place.count !== undefined" class="mono count">{{ place.count }}</span>
        </router-link>
      </template>
    </nav>
    <div class="right">
      <component
        :is="work.to ? 'router-link' : 'div'"
        v-if="work"
        :to="work.to"
        class="work"
        role="status"
        :title="work.to ? 'See the runs' : undefined"
      >
        <span>{{ work.text }}</span>
        <span class="line"><span :style="{ width: `${Math.round(work.share * 100)}%` }" /></span>
      </component>
      <router-link
        v-else-if="route.path.startsWith('/board') || route.path.startsWith('/review')"
        to="/runs"
        class="end runs"
        >Runs</router-link
      >
      <button class="plain end" v-bind="withKey('Everywhere', 'find')" @click="emit('find')">
        Find <kbd>Ctrl K</kbd>
      </button>
      <button class="plain end" v-bind="withKey('Everywhere', 'keys')" @click="emit('keys')">Keys <kbd>?</kbd></button>
      <button class="plain end" :aria-pressed="isNight" @click="chooseTheme(isNight ? 'paper' : 'night')">
        {{ isNight ? 'Day' : 'Night' }}
      </button>
    </div>
  </header>
</template>

<style scoped>
header {
  height: 49px;
  display: flex;
  align-items: center;
  gap: 26px;
  padding: 0 18px;
  background: var(--panel);
  border-bottom: 1px solid var(--hairline);
}
.mark {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 700;
  font-size: 18px;
  text-decoration: none;
}
nav {
  display: flex;
  align-items: center;
  gap: 9px;
}
nav a {
  text-decoration: none;
  padding: 5px 3px;
  border-bottom: 2px solid transparent;
}
nav a:hover {
  border-color: var(--hairline);
}
nav a.here {
  border-color: var(--accent);
  font-weight: 500;
}
.count {
  margin-left: 5px;
  color: var(--quiet);
  font-size: 0.8em;
}
.dot {
  color: var(--quiet);
}
nav,
.mark {
  flex: none;
}
.right {
  margin-left: auto;
  min-width: 0;
  display: flex;
  gap: 20px;
  align-items: center;
  font-size: 14px;
}
.end {
  flex: none;
  min-height: 28px;
  display: flex;
  align-items: center;
  gap: 7px;
}
kbd {
  white-space: nowrap;
  font-family: var(--mono);
  font-size: 11.5px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 0 5px;
  color: var(--quiet);
}
.work {
  display: grid;
  gap: 3px;
  min-width: 150px;
  max-width: 280px;
  text-decoration: none;
  color: inherit;
}
.runs {
  color: inherit;
}
.work > span:first-child {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 13px;
}
.line {
  height: 2px;
  background: var(--hairline);
}
.line span {
  display: block;
  height: 2px;
  background: var(--accent);
  transition: width 150ms;
}
@media (max-width: 1100px) {
  header {
    gap: 14px;
  }
  .right {
    gap: 12px;
  }
  kbd {
    display: none;
  }
  .work {
    min-width: 90px;
  }
}
/* On a page at twice its size, whatever is going on and however much there is of everything. */
@media (max-width: 900px) {
  .count {
    display: none;
  }
}
</style>
