<script setup lang="ts">
import { ref } from 'vue'

import { answer, client } from '@/api/client'
import FileButton from '@/shared/frame/FileButton.vue'
import { firstFrame, frameNumber, frameOf, lengthUnit, metresOf } from '@/shared/units'
import { useMessages } from '@/stores/messages'

/**
 * A result put into a file from elsewhere, of a figure on the same rig. The file itself is not touched; another one
 * comes back.
 */
const props = defineProps<{ renditionId: number; clip: string; character: string }>()
const open = defineModel<boolean>({ required: true })
const messages = useMessages()
const how = ref<'replace' | 'insert'>('replace')
const at = ref(frameNumber(0))
const moved = ref(false)
const start = ref({ x: 0, z: 0, degrees: 0 })
const motion = ref('')
const file = ref<File | null>(null)
const working = ref(false)

/** The name a server gives a file: as it is where it is plain, else in percents. */
function nameIn(header: string): string {
  const coded = /filename\*=utf-8''([^;]+)/i.exec(header)
  return coded ? decodeURIComponent(coded[1]) : (/filename="([^"]*)"/.exec(header)?.[1] ?? '')
}
async function put() {
  if (!file.value) return
  working.value = true
  const body = new FormData()
  body.append('file', file.value)
  const fields = {
    motion: motion.value.trim(),
    at: Math.max(0, frameOf(at.value || frameNumber(0))),
    how: how.value,
    moved: moved.value,
    x: metresOf(start.value.x || 0),
    z: metresOf(start.value.z || 0),
    degrees: start.value.degrees || 0,
  }
  for (const [key, value] of Object.entries(fields)) body.append(key, String(value))
  try {
    const request = client.POST('/api/deliveries/onto/{rendition_id}', {
      params: { path: { rendition_id: props.renditionId } },
      body: body as never,
      bodySerializer: (form) => form as never,
      parseAs: 'blob',
    })
    const made: unknown = await answer(request)
    const { response } = await request
    const link = document.createElement('a')
    link.href = URL.createObjectURL(made as Blob)
    link.download = nameIn(response.headers.get('Content-Disposition') ?? '') || file.value.name
    link.click()
    URL.revokeObjectURL(link.href)
    open.value = false
    messages.say(`${link.download} is made; ${file.value.name} is as it was.`)
  } catch (problem) {
    messages.fail(problem)
  }
  working.value = false
}
</script>

<template>
  <v-dialog v-model="open" max-width="480" aria-label="Put it into a file">
    <v-card class="card">
      <h1>Put “{{ clip }}” into a file</h1>
      <p class="quiet">
        A file of a figure on the rig of {{ character }}: its motion gets this result at a frame, everything else in it
        stays. Another file comes back.
      </p>
      <div class="row">
        <FileButton
          :label="file ? 'Another file' : 'Choose the file'"
          accept=".glb,.gltf,.zip,.bvh,.dae,.usd,.usda,.usdc,.usdz"
          @files="file = $event[0] ?? null"
        /><span class="mono">{{ file?.name }}</span>
      </div>
      <label class="row"><span>Motion</span><input v-model="motion" placeholder="the first in the file" /></label>
      <div class="row">
        <div class="choice" role="group" aria-label="How">
          <button :aria-pressed="how === 'replace'" @click="how = 'replace'">Replace</button>
          <button :aria-pressed="how === 'insert'" @click="how = 'insert'">Insert</button>
        </div>
        <label>from frame <input v-model.number="at" type="number" :min="firstFrame.value" /></label>
      </div>
      <div class="row">
        <div class="choice" role="group" aria-label="Where it stands">
          <button :aria-pressed="!moved" @click="moved = false">Where it was made</button>
          <button :aria-pressed="moved" @click="moved = true">At a start</button>
        </div>
      </div>
      <div v-if="moved" class="row">
        <label>x <input v-model.number="start.x" type="number" /> {{ lengthUnit.value }}</label
        ><label>z <input v-model.number="start.z" type="number" /> {{ lengthUnit.value }}</label
        ><label>heading <input v-model.number="start.degrees" type="number" />°</label>
      </div>
      <div class="row end">
        <v-btn @click="open = false">Leave it</v-btn
        ><v-btn class="doing" :disabled="!file || working" @click="put">Make the file</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 20px 24px;
  background: var(--panel);
  display: grid;
  gap: 12px;
  font-size: 14px;
}
.row {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.row > span:first-child {
  min-width: 60px;
}
.end {
  justify-content: flex-end;
}
input {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  padding: 2px 8px;
  min-height: 28px;
}
input[type='number'] {
  width: 84px;
}
</style>
