<script setup lang="ts">
import { ref, watch } from 'vue'

const open = defineModel<boolean>({ required: true })
const close = ref<HTMLButtonElement>()
// With the focus inside, Esc closes it and Tab stays in it.
watch(open, (now) => now && setTimeout(() => close.value?.focus(), 30))
const groups = [
  { name: 'Everywhere', keys: [['Ctrl K', 'find a clip, character, fitting or view'], ['?', 'show the keys'], ['Esc', 'close what is open']] },
  {
    name: 'Playing',
    keys: [['Space', 'play and pause'], ['← →', 'one frame back or on'], ['Shift ← →', 'to the finding before or after'], ['Home End', 'first and last frame']],
  },
  { name: 'Library', keys: [['/', 'search'], ['Ctrl A', 'select all that are shown'], ['Shift click', 'select from the last one to this']] },
  { name: 'Intake', keys: [['Ctrl Z', 'undo'], ['Ctrl Shift Z', 'redo'], ['Shift click', 'tick from the last one to this']] },
  { name: 'Clip', keys: [['[ ]', 'begin and end the range at this frame'], ['Ctrl Z', 'undo a trim'], ['Ctrl Shift Z', 'redo it']] },
  {
    name: 'Pairing',
    keys: [
      ['N', 'next bone to look at; with Shift the one before'], ['W', 'into the weave; arrows move in it'], ['Enter', 'take a bone, then type its counterpart'],
      ['Shift', 'with click or Enter: beside the bones that the pair has'], ['/', 'find a bone or a part'], ['C', 'confirm; with Shift the whole limb'], ['X', 'remove the pair'], ['L', 'leave the part out, or take it back in'],
      ['S', 'swap the sides of the limb'], ['T', 'other side follows, on and off'], ['1 … 5, 0', 'body, hands, head, extras; all'], ['Esc', 'let go of a bone'],
    ],
  },
  {
    name: 'Stance',
    keys: [['A', 'align all; with Shift the limb of the chosen bone'], ['X', 'reset the chosen bone'], ['T', 'other side follows, on and off'], ['E', 'feathers on and off'], ['C', 'the stance before, and back'], ['Shift', 'while a ring is drawn: any angle'], ['Esc', 'let go of a ring or a bone']],
  },
  {
    name: 'Contacts',
    keys: [['← →', 'move the end of a chosen contact; with Shift its start'], ['Del', 'remove it'], ['drag', 'its ends, the whole, or a new one in an empty lane']],
  },
  {
    name: 'Board',
    keys: [
      ['arrows', 'move from cell to cell; with Shift draw a rectangle'], ['Space', 'sweep the cell, or not'], ['Ctrl A', 'sweep all that are shown'], ['Enter', 'open the cell: its result, or its fitting'],
      ['T U R A D', 'transfer, bring up to date, review, accept, deliver what is swept'], ['Del', 'retire it'], ['Ctrl Z', 'take back an acceptance, with Shift make it again'], ['Esc', 'sweep nothing'],
    ],
  },
  {
    name: 'Review',
    keys: [['N P', 'next and previous result; arrows up and down do, too'], ['A', 'accept, and on to the next'], ['S', 'send back with a note'], ['G', 'to the fitting, at this frame'], ['O', 'side by side or over each other'], ['M B', 'mesh, bones'], ['F', 'frame the figures'], ['Ctrl Z', 'take back a judgement']],
  },
  { name: 'Fitting', keys: [['M', 'mesh on and off'], ['B', 'bones on and off'], ['O', 'side by side or laid over each other'], ['F', 'frame both figures'], ['Ctrl Z', 'undo'], ['Ctrl Shift Z', 'redo']] },
]
</script>

<template>
  <v-dialog v-model="open" max-width="560" scrollable aria-label="Keys">
    <v-card class="card">
      <div class="head"><h1>Keys</h1><button ref="close" class="plain word" @click="open = false">Close</button></div>
      <section v-for="group in groups" :key="group.name">
        <h2>{{ group.name }}</h2>
        <dl>
          <template v-for="[key, what] in group.keys" :key="key"><dt class="mono">{{ key }}</dt><dd>{{ what }}</dd></template>
        </dl>
      </section>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card { padding: 20px 24px; background: var(--panel); }
.head { display: flex; justify-content: space-between; }
section { margin-top: 12px; }
dl { display: grid; grid-template-columns: 8.5rem 1fr; gap: 3px 10px; margin: 4px 0 0; }
dd { margin: 0; }
</style>
