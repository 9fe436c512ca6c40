import { useDebounceFn, useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useLatest } from '@/shared/useLatest'
import { cellOf, type Cell } from '@/stores/board'
import { useChoice } from '@/stores/choice'
import type { Rule } from '@/stores/intake'
import { useMessages } from '@/stores/messages'
import { TOGETHER, UPS, USUAL, type Wanted } from './deliveries'

/** A delivery before it goes out: what is chosen for it, and every file as it would be called. */
export function useDeliveryPlan() {
  const choice = useChoice()
  const messages = useMessages()
  const wanted = useLocalStorage<Wanted>('armuto.delivery', { ...USUAL }, { mergeDefaults: true })
  const name = ref('')
  const rule = ref<Rule | null>(null)
  const plan = ref<Schemas['Planned'] | null>(null)
  const thinned = ref<Schemas['Thinned'] | null>(null)
  const measuring = ref(false)
  /** All results there are, where they were asked for instead of the accepted ones. */
  const everything = ref<Cell[] | null>(null)
  const [latestPlan, latestThinned] = [useLatest(), useLatest()]

  const swept = computed(() => (choice.cells.length ? choice.cells : null))
  const body = () => ({
    cells: everything.value ?? swept.value,
    wanted: { ...wanted.value } as Record<string, unknown>,
    name: name.value,
  })
  const lookAgain = () =>
    latestPlan(
      () => answer(client.POST('/api/deliveries/plan', { body: body() })),
      (now) => (plan.value = now),
    ).catch(messages.fail)
  const lookSoon = useDebounceFn(lookAgain, 120)

  async function measureThinning() {
    thinned.value = null
    if (!wanted.value.thinned || wanted.value.kind !== 'glb' || !plan.value?.rows.length) return
    measuring.value = true
    await latestThinned(
      () => answer(client.POST('/api/deliveries/thinned', { body: body() })).catch(() => null),
      (now) => {
        thinned.value = now
        measuring.value = false
      },
    )
  }
  /** Rules are sent one after another, so that the last one is the one that stays. */
  let sending: Promise<unknown> = Promise.resolve()
  function setRule(style: string, pieces: Rule['pieces']) {
    rule.value = { ...(rule.value as Rule), style, pieces }
    const send = () => answer(client.PUT('/api/deliveries/rule', { body: { style, pieces } }))
    sending = sending.then(send).then(lookAgain).catch(messages.fail)
  }
  async function takeEverything() {
    const rows = await answer(client.POST('/api/renditions/queue', { body: { cells: null, everything: true } }))
    everything.value = rows.map(cellOf)
  }
  async function load() {
    rule.value = (await answer(client.GET('/api/deliveries/rule'))) as Rule
    await lookAgain()
    // Nothing is accepted yet: then what there is can go out all the same.
    if (!swept.value && !plan.value?.rows.length) await takeEverything()
  }
  const deliver = () => answer(client.POST('/api/deliveries/', { body: body() }))

  watch([wanted, name, everything], () => void lookSoon(), { deep: true })
  watch(
    () => wanted.value.kind,
    (kind) => {
      const ups = UPS[kind] ?? []
      if (ups.length && !ups.includes(wanted.value.up)) wanted.value.up = '+Y'
      if (wanted.value.ensembles === 'one file' && !TOGETHER.includes(kind)) wanted.value.ensembles = 'common space'
    },
    { immediate: true },
  )
  watch(
    () => [wanted.value.kind, JSON.stringify(wanted.value.thinned), wanted.value.fps, plan.value?.rows.length],
    () => void measureThinning(),
  )
  return { wanted, name, rule, plan, thinned, measuring, everything, swept, setRule, takeEverything, load, deliver }
}
