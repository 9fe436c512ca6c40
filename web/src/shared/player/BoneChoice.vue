<script setup lang="ts">
/** The bone that is looked at, and whether its trace is drawn; what else is shown of it comes by the slots. */
defineProps<{ names: string[] }>()
const bone = defineModel<number>('bone', { required: true })
const trace = defineModel<boolean>('trace', { required: true })
</script>

<template>
  <div class="row">
    <label
      ><span class="quiet">Bone</span>
      <select v-model.number="bone" aria-label="Bone to look at" class="mono">
        <option v-for="(name, n) in names" :key="name" :value="n">{{ name }}</option>
      </select>
    </label>
    <slot />
    <label><input v-model="trace" type="checkbox" /> Trace</label>
    <slot name="after" />
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 16px;
  align-items: center;
  padding: 4px 18px;
  font-size: 14px;
  min-height: 32px;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
}
.row :deep(label),
label {
  display: flex;
  gap: 6px;
  align-items: center;
  min-height: 24px;
}
select {
  font-size: 13px;
  max-width: 11rem;
}
</style>
