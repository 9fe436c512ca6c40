<script setup lang="ts">
import DraftInput from '@/shared/fields/DraftInput.vue'
import NumberBox from '@/shared/fields/NumberBox.vue'
import { WEIGHT_FIELD, weightAt, weightText, type Layer } from './touchups'
import type { TouchUps } from './useTouchUps'

/** The layers in their order, the chosen one with what it says of itself. */
const props = defineProps<{ touchups: TouchUps; frame: number }>()
const { layers, layer, layerName, edit, found } = props.touchups
const change = (row: Layer, changes: Record<string, unknown>, after?: () => void) =>
  edit({ op: 'layer', layer: row.name, changes: changes as never }, after)
const keyWeight = (row: Layer, weight: number) => edit({ op: 'weight', layer: row.name, frame: props.frame, weight })
function rename(row: Layer, event: Event) {
  const name = (event.target as HTMLInputElement).value.trim()
  if (name && name !== row.name) void change(row, { name }, () => (layerName.value = name))
}
function move(row: Layer, by: number) {
  const names = layers.value.map((other) => other.name)
  const at = names.indexOf(row.name)
  names.splice(at, 1)
  names.splice(at + by, 0, row.name)
  void edit({ op: 'order', names })
}
function onKey(event: KeyboardEvent, row: Layer) {
  if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
  event.preventDefault()
  move(row, event.key === 'ArrowUp' ? -1 : 1)
}
const pick = (row: Layer, limb: string, on: boolean) =>
  change(row, { limbs: on ? [...row.limbs, limb] : row.limbs.filter((other) => other !== limb) })
const keysOf = (row: Layer) => row.touchups.reduce((sum, touchup) => sum + touchup.keys.length, 0)
const looks = (row: Layer) => row.touchups.some((touchup) => touchup.keys.some((key) => key.moved))
</script>

<template>
  <ul class="layers" aria-label="Layers">
    <li
      v-for="(row, n) in layers"
      :key="row.name"
      class="layer"
      :class="{ chosen: row === layer, off: !row.on }"
      :aria-current="row === layer"
      @click="layerName = row.name"
      @focusin="layerName = row.name"
      @keydown="onKey($event, row)"
    >
      <div class="head">
        <input
          type="checkbox"
          :checked="row.on"
          :aria-label="`${row.name} on`"
          @change="change(row, { on: ($event.target as HTMLInputElement).checked })"
        />
        <DraftInput
          class="name"
          :value="row.name"
          aria-label="Name of the layer"
          maxlength="120"
          @change="rename(row, $event)"
          @keydown.enter="($event.target as HTMLInputElement).blur()"
        />
        <span class="quiet count">{{ keysOf(row) }} {{ keysOf(row) === 1 ? 'key' : 'keys' }}</span>
        <NumberBox
          :field="WEIGHT_FIELD"
          :of="row.name"
          :value="weightAt(row.weight, frame)"
          @keep="typeof row.weight === 'number' ? change(row, { weight: $event ?? 1 }) : keyWeight(row, $event ?? 1)"
        />
      </div>
      <div v-if="row === layer" class="more">
        <label title="Feet and hands that nobody touched keep what they rest on">
          <input
            type="checkbox"
            :checked="row.hold"
            @change="change(row, { hold: ($event.target as HTMLInputElement).checked })"
          />
          Contacts hold
        </label>
        <v-menu :close-on-content-click="false">
          <template #activator="{ props: menu }">
            <button class="plain word" v-bind="menu">
              {{ row.limbs.length ? row.limbs.join(', ') : 'every limb' }}
            </button>
          </template>
          <v-card class="limbs" role="group" aria-label="Limbs that the layer applies to">
            <label v-for="limb in found?.limbs ?? []" :key="limb">
              <input
                type="checkbox"
                :checked="row.limbs.includes(limb)"
                @change="pick(row, limb, ($event.target as HTMLInputElement).checked)"
              />
              {{ limb }}
            </label>
          </v-card>
        </v-menu>
        <button
          v-if="typeof row.weight === 'number'"
          class="plain word"
          title="From here on the weight can change over time: a key of it at the playhead"
          @click.stop="keyWeight(row, row.weight)"
        >
          Key weight
        </button>
        <button
          v-else
          class="plain word"
          :title="weightText(row.weight)"
          @click.stop="change(row, { weight: weightAt(row.weight, frame) })"
        >
          One weight
        </button>
        <span class="space"></span>
        <button class="plain word" :disabled="!n" title="Earlier (Alt ↑)" @click.stop="move(row, -1)">Up</button>
        <button class="plain word" :disabled="n === layers.length - 1" title="Later (Alt ↓)" @click.stop="move(row, 1)">
          Down
        </button>
        <button
          class="plain word"
          :aria-label="`Remove ${row.name}`"
          @click.stop="edit({ op: 'remove', layer: row.name })"
        >
          Remove
        </button>
      </div>
      <p v-if="looks(row)" class="look">
        Made on an earlier result: what is under it has moved since.
        <button class="plain word" @click.stop="touchups.toChanged(row.name)">Show me</button>
        <button class="plain word" @click.stop="edit({ op: 'confirm', layer: row.name })">Keep as it is</button>
      </p>
    </li>
  </ul>
</template>

<style scoped>
.layers {
  list-style: none;
  padding: 0;
  margin: 0;
}
.layer {
  padding: 5px 14px;
  border-left: 3px solid transparent;
  border-bottom: 1px solid var(--hairline);
}
.layer.chosen {
  border-left-color: var(--accent);
  background: rgb(var(--v-theme-surface-variant), 0.45);
}
.layer.off .name {
  color: var(--quiet);
}
.head,
.more {
  display: flex;
  gap: 9px;
  align-items: center;
  min-height: 30px;
}
.name {
  flex: 1;
  min-width: 5rem;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 2px 5px;
  min-height: 26px;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
  background: var(--paper);
}
.count {
  font-size: 13px;
  white-space: nowrap;
}
.more {
  font-size: 13.5px;
  padding-left: 23px;
}
.more label {
  display: flex;
  gap: 5px;
  align-items: center;
  min-height: 24px;
}
.more {
  flex-wrap: wrap;
}
.more .word,
.more label {
  min-height: 24px;
  white-space: nowrap;
}
.limbs {
  display: grid;
  padding: 8px 14px;
  gap: 4px;
  max-height: 320px;
  overflow-y: auto;
}
.limbs label {
  display: flex;
  gap: 7px;
  min-height: 24px;
  align-items: center;
}
.look {
  margin: 2px 0 4px 23px;
  font-size: 13.5px;
  color: var(--accent);
}
</style>
