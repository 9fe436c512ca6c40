<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import NextClip from '@/features/splices/NextClip.vue'
import { spliceClips } from '@/features/splices/open'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { inUnits } from '@/shared/units'
import { ofCasting, ofClip, useBoard, type Action, type Cell, type Plan } from '@/stores/board'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { ACTIONS } from './actions'

/** What can be done with the swept cells, and what that means before it is done. */
const props = defineProps<{ cells: Cell[]; plans: Record<Action, Plan> | null; working: boolean }>()
const emit = defineEmits<{
  act: [action: Action]
  clear: []
  takeBack: []
  fit: [skeleton: number, character: number]
}>()
const board = useBoard()
const cast = useCast()
const library = useLibrary()
const messages = useMessages()
const router = useRouter()

const count = (number: number, singular: string, many: string) =>
  number === 1 ? `one ${singular}` : `${number} ${many}`
const ofClips = computed(() => props.cells.filter(ofClip))
const castings = computed(() => props.cells.filter(ofCasting))
const swept = computed(() => {
  if (castings.value.length) {
    const ensembles = new Set(castings.value.map((id) => board.castings.get(id)?.ensemble_id)).size
    return `${count(castings.value.length, 'casting', 'castings')} of ${count(ensembles, 'ensemble', 'ensembles')}`
  }
  const clips = new Set(ofClips.value.map(([clip]) => clip)).size
  const figures = [...new Set(ofClips.value.map(([, character]) => character))]
  const who =
    figures.length === 1 ? (cast.character(figures[0])?.name ?? 'one character') : `${figures.length} characters`
  return `${count(props.cells.length, 'cell', 'cells')}: ${count(clips, 'clip', 'clips')} on ${who}`
})
/** The one clip of what is swept, which another can be spliced to. */
const onlyClip = computed(() => {
  const clips = new Set(ofClips.value.map(([clip]) => clip))
  return clips.size === 1 ? library.clip([...clips][0]) : undefined
})
const excepted = computed(() => ofClips.value.filter((cell) => board.hasException(...cell)).length)
/** The next thing to do: bring up to date what is old, transfer what is not there, then look, then hand on. */
const next = computed<Action | null>(() => {
  const plans = props.plans
  if (!plans) return null
  if (plans.update.count) return 'update'
  if (plans.transfer.count > plans.review.count) return 'transfer'
  return plans.accept.count ? 'review' : plans.deliver.count ? 'deliver' : null
})
const saying = computed(() => {
  const plans = props.plans
  if (!plans) return []
  const { transfer, accept, deliver } = plans
  const out: string[] = []
  const parts = []
  if (transfer.accepted)
    parts.push(
      `${count(transfer.accepted, 'of them is', 'of them are')} accepted already; the accepted result stays beside the new one`,
    )
  if (transfer.proposed)
    parts.push(
      `${transfer.proposed === transfer.count ? 'all' : transfer.proposed} through a fitting that is proposed, not confirmed`,
    )
  if (transfer.busy) parts.push(`${count(transfer.busy, 'cell is', 'cells are')} under way and left out`)
  if (transfer.count)
    out.push(`${count(transfer.count, 'transfer', 'transfers')}${parts.length ? `: ${parts.join('; ')}` : ''}.`)
  if (accept.wrong)
    out.push(`Accept would take ${count(accept.wrong, 'result', 'results')} with findings that are wrong.`)
  if (deliver.stale) out.push(`${count(deliver.stale, 'result is', 'results are')} out of date.`)
  return out
})
const unfitted = computed(() => props.plans?.transfer.unfitted ?? [])
const impossible = computed(() => props.plans?.transfer.impossible ?? [])
const skeleton = (id: number) => library.skeletons.find((body) => body.id === id)?.name ?? 'a skeleton'
</script>

<template>
  <div class="acts" role="toolbar" aria-label="What to do with the swept cells">
    <div class="line">
      <strong>{{ swept }}</strong>
      <v-btn
        v-for="{ action, word } in ACTIONS"
        :key="action"
        size="small"
        :class="{ doing: action === next }"
        :disabled="working || !plans?.[action].count"
        v-bind="withKey('Board', action, word)"
        @click="emit('act', action)"
      >
        {{ word }} <span v-if="plans?.[action].count" class="mono number">{{ plans[action].count }}</span>
      </v-btn>
      <NextClip
        v-if="onlyClip"
        :skeleton="onlyClip.skeleton_id"
        @add="spliceClips(router, [onlyClip.id, $event]).catch(messages.fail)"
      />
      <button class="plain word" @click="emit('clear')">Sweep nothing</button>
    </div>
    <p v-for="(sentence, n) in saying" :key="n" class="quiet">{{ inUnits(sentence) }}</p>
    <p v-if="excepted" class="quiet">
      {{ count(excepted, 'of them has', 'of them have') }} settings of
      {{ excepted === 1 ? 'its' : 'their' }} own.<button
        class="plain word"
        :disabled="working"
        title="What the fitting says of every clip holds for them, too"
        @click="emit('takeBack')"
      >
        Take them back
      </button>
    </p>
    <p v-if="unfitted.length" class="quiet">
      Without a fitting yet, proposed with the transfer:
      <template v-for="(cell, n) in unfitted.slice(0, 3)" :key="n"
        >{{ n ? ', ' : ''
        }}<button class="plain word" @click="emit('fit', cell.skeleton_id, cell.character_id)">
          {{ skeleton(cell.skeleton_id) }} on {{ cast.character(cell.character_id)?.name }}
        </button></template
      >{{ unfitted.length > 3 ? ` and ${unfitted.length - 3} more` : '' }}.
    </p>
    <p v-if="impossible.length" class="quiet">
      Left out: {{ impossible[0].sentence
      }}<button class="plain word" @click="emit('fit', impossible[0].skeleton_id, impossible[0].character_id)">
        Open a fitting</button
      >{{ impossible.length > 1 ? ` (and ${impossible.length - 1} more of the kind)` : '' }}
    </p>
  </div>
</template>

<style scoped>
.acts {
  padding: 9px 20px 10px;
  background: var(--paper);
  display: grid;
  gap: 3px;
  font-size: 14px;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: wrap;
}
.line strong {
  font-weight: 500;
  margin-right: 8px;
}
.number {
  margin-left: 6px;
}
p .word {
  margin-left: 5px;
  font-size: inherit;
}
</style>
