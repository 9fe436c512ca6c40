<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/api/client'

/** What aligning the stance did: facing and size first, then the parts, most still left to the source first. */
const props = defineProps<{ fitting: Schemas['FittingOut']; pointed: string | null }>()
const emit = defineEmits<{ point: [part: string | null] }>()
const rows = computed(() => [...props.fitting.stance].sort((a, b) => b.left - a.left || b.turned - a.turned))
/** A small fan: the angle still open between the two. */
function fan(degrees: number) {
  const angle = (Math.min(degrees, 90) * Math.PI) / 180
  return `M1 15 L21 15 A20 20 0 0 0 ${(1 + 20 * Math.cos(angle)).toFixed(2)} ${(15 - 20 * Math.sin(angle)).toFixed(2)} Z`
}
</script>

<template>
  <div class="stance" @mouseleave="emit('point', null)">
    <p class="quiet">The character’s rest pose was turned until it stands as the source does.</p>
    <dl>
      <dt>facing</dt><dd class="mono">turned {{ fitting.facing.toFixed(1) }}°</dd>
      <dt>size</dt><dd class="mono">{{ (fitting.scale * 100).toFixed(1) }} % of the source’s legs</dd>
    </dl>
    <table>
      <thead><tr><th>part</th><th>bone</th><th class="n">turned</th><th class="n" colspan="2">left</th></tr></thead>
      <tbody>
        <tr v-for="row in rows" :key="row.part + row.bone" :class="{ pointed: pointed === row.part }" @mouseenter="emit('point', row.part)">
          <td>{{ row.part }}</td>
          <td class="mono bone">{{ row.bone }}</td>
          <td class="mono n">{{ row.turned.toFixed(1) }}°</td>
          <td class="mono n">{{ row.left.toFixed(1) }}°</td>
          <td><svg width="22" height="16" aria-hidden="true"><path :d="fan(row.left)" /><line x1="1" y1="15" x2="21" y2="15" /></svg></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.stance { padding: 10px 14px 18px; display: grid; gap: 10px; font-size: 14px; }
dl { display: grid; grid-template-columns: 4rem 1fr; margin: 0; gap: 3px; }
dt { color: var(--quiet); }
dd { margin: 0; }
table { border-collapse: collapse; width: 100%; }
th { font-weight: 400; color: var(--quiet); text-align: left; }
.n { text-align: right; }
td { padding: 2px 0 2px 4px; border-top: 1px solid var(--hairline); }
.bone { font-size: 12px; }
td:last-child { width: 28px; }
td svg { display: block; margin-left: auto; }
path { fill: var(--accent); opacity: 0.35; }
line { stroke: var(--quiet); }
.pointed td { background: rgb(var(--v-theme-surface-variant)); }
</style>
