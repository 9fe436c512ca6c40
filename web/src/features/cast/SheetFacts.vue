<script setup lang="ts">
import { computed } from 'vue'

import { inUnits } from '@/shared/units'
import { shown, type Sheet } from './sheet'

/** Skeleton, skin, materials and the bones outside the body plan, in words. */
const props = defineProps<{ sheet: Sheet }>()
const roles = computed(() => {
  const by = new Map<string, Sheet['roles']>()
  for (const row of props.sheet.roles) by.set(row.role, [...(by.get(row.role) ?? []), row])
  return [...by].map(([role, rows]) => ({ role, rows }))
})
const MANY: Record<string, string> = {
  twist: 'twist bones',
  helper: 'helpers',
  end: 'ends',
  prop: 'props',
  accessory: 'accessories',
}
</script>

<template>
  <dl>
    <dt>skeleton</dt>
    <dd>
      <span class="mono">{{ sheet.joints }}</span> bones{{ sheet.roots > 1 ? `, ${sheet.roots} roots` : ''
      }}{{ sheet.plan ? `, ${sheet.plan}` : '' }}
    </dd>
    <dt>parts</dt>
    <dd v-if="!sheet.plan">none recognised by name</dd>
    <dd v-else-if="sheet.missing.length">
      missing: {{ sheet.missing.slice(0, 4).join(', ')
      }}{{ sheet.missing.length > 4 ? ` and ${sheet.missing.length - 4} more` : '' }}
    </dd>
    <dd v-else>
      <span class="mono">{{ sheet.parts }}</span> recognised, no required one missing
    </dd>
    <dt>skin</dt>
    <dd>
      <span class="mono">{{ sheet.weighted }}</span> bones carry weight{{
        sheet.skins > 1 ? `, ${sheet.skins} skins` : ''
      }}
    </dd>
    <template v-for="{ role, rows } in roles" :key="role">
      <dt>{{ MANY[role] ?? role }}</dt>
      <dd :title="rows.map((row) => `${row.bone}: ${row.reason}`).join('\n')">
        <span class="mono">{{
          rows
            .slice(0, 3)
            .map((row) => row.bone)
            .join(', ')
        }}</span>{{ rows.length > 3 ? ` and ${rows.length - 3} more` : '' }}
      </dd>
    </template>
    <dt>materials</dt>
    <dd class="materials">
      <span v-for="material in sheet.materials" :key="material.name" class="material"
        ><i :style="{ background: shown(material.colour) }"></i>{{ material.name
        }}{{ material.texture ? ', textured' : '' }}</span
      >
    </dd>
  </dl>
  <p v-for="note in sheet.notes" :key="note" class="note">{{ inUnits(note) }}</p>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 5.2rem 1fr;
  gap: 3px 8px;
  margin: 0;
  font-size: 14px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.materials {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}
.material {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.material i {
  width: 11px;
  height: 11px;
  border-radius: 50%;
  border: 1px solid var(--hairline);
}
.note {
  font-size: 14px;
}
</style>
