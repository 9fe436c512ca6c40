import { computed, ref, shallowRef, type Ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { decodePose } from '@/api/motion'
import { quantity } from '@/shared/units'
import { useTrials } from '@/shared/useTrials'
import { useMessages } from '@/stores/messages'
import type { Stage } from '@/stage/stage'
import type { Fitting } from './weave'

export type Contact = Schemas['ContactOut']
export type Measures = Schemas['ClipMeasuresOut']
export type Finding = Schemas['FindingOut']
export type Follow = Schemas['RotationInfluence']
export type Travel = Schemas['Travel']
export type Settings = Schemas['Settings']
export type Change = Schemas['SettingsChange']

/** One clip of the fitting, measured. */
export interface Row {
  id: number
  name: string
  measures: Measures | null
  failed: string
}

/** Settling the transfer: what is chosen, where the clip's feet and hands rest, and what is measured of both. */
export function useSettling(around: {
  fitting: Ref<Fitting | null>
  stage: Ref<Stage | undefined>
  shown: () => { clip_id?: number; frame?: number }
  change: (work: () => Promise<Fitting>) => Promise<void>
}) {
  const contacts = shallowRef<Schemas['ContactsOut'] | null>(null)
  const measures = shallowRef<Measures | null>(null)
  const measuring = ref(false)
  const all = shallowRef<Row[]>([])
  const going = ref(false)
  /** Whether what is changed is said for the clip in view alone. */
  const alone = ref(false)
  const exception = computed(() => around.fitting.value?.exceptions[around.shown().clip_id ?? 0])
  const settings = computed(() => (alone.value && exception.value?.settings) || around.fitting.value?.settings)
  const id = () => around.fitting.value!.id
  const path = (clip: number) => ({ params: { path: { fitting_id: id(), clip_id: clip } } })
  let asked = 0

  async function load() {
    const { clip_id } = around.shown()
    if (clip_id === undefined || !around.fitting.value) return
    const own = ++asked
    measuring.value = true
    try {
      const found = await answer(client.GET('/api/fittings/{fitting_id}/contacts/{clip_id}', path(clip_id)))
      if (own !== asked) return
      contacts.value = found
      const answered = await answer(
        client.POST('/api/fittings/{fitting_id}/measures/{clip_id}', { ...path(clip_id), body: {} }),
      )
      if (own === asked) measures.value = answered
    } catch (problem) {
      useMessages().fail(problem)
    } finally {
      if (own === asked) measuring.value = false
    }
  }
  /** What is shown belongs to another clip now. */
  function forget() {
    asked += 1
    alone.value = false
    contacts.value = null
    measures.value = null
  }
  const change = (said: Change, own = alone.value) => {
    settle()
    return around.change(() =>
      answer(
        client.POST('/api/fittings/{fitting_id}/settings', {
          params: { path: { fitting_id: id() } },
          body: { settings: said, alone: own, ...around.shown() },
        }),
      ),
    )
  }
  /** Take back what is said for the clip alone: a setting, or all of them. */
  const takeBack = (names: string[]) => change(Object.fromEntries(names.map((name) => [name, null])), true)
  const setContacts = (rows: Contact[] | null) => {
    const { clip_id, frame } = around.shown()
    return around.change(() =>
      answer(
        client.PUT('/api/fittings/{fitting_id}/contacts/{clip_id}', {
          ...path(clip_id!),
          body: { contacts: rows, clip_id, frame },
        }),
      ),
    )
  }

  /** Settings that are only tried, as while a slider is drawn. */
  const { attempt, settle } = useTrials(
    (said: Change) => {
      const body = { settings: said, alone: alone.value, ...around.shown() }
      return answer(
        client.POST('/api/fittings/{fitting_id}/settings/trial', { params: { path: { fitting_id: id() } }, body }),
      )
    },
    (made) => {
      const figure = around.stage.value?.figure('character')
      if (!made.pose || !figure) return
      const { rotations, translations } = decodePose(made.pose, figure.joints.length)
      figure.take(rotations, translations)
      around.stage.value?.draw()
    },
    useMessages().fail,
  )

  /** Measure every clip of the fitting, one after another, until it is stopped. */
  async function measureAll(clips: { id: number; name: string }[]) {
    all.value = clips.map(({ id: key, name }) => ({ id: key, name, measures: null, failed: '' }))
    going.value = true
    for (const row of all.value) {
      if (!going.value) break
      try {
        row.measures = await answer(
          client.POST('/api/fittings/{fitting_id}/measures/{clip_id}', { ...path(row.id), body: {} }),
        )
      } catch (problem) {
        row.failed = problem instanceof Error ? problem.message : String(problem)
      }
      all.value = [...all.value]
    }
    going.value = false
  }
  const stop = () => (going.value = false)

  return {
    settings,
    alone,
    exception,
    takeBack,
    contacts,
    measures,
    measuring,
    all,
    going,
    load,
    forget,
    change,
    setContacts,
    attempt,
    settle,
    measureAll,
    stop,
  }
}
export type Settling = ReturnType<typeof useSettling>

/** Signs of grades: told by shape first. */
export const GRADES: Record<string, { mark: string; word: string }> = {
  good: { mark: '✓', word: 'good' },
  look: { mark: '◉', word: 'look' },
  wrong: { mark: '✕', word: 'wrong' },
}
/** A measure as a person reads it. */
export const withUnit = (value: number, unit: string) =>
  quantity(value, unit === 'times' ? '×' : unit, value < 9.95 ? 1 : 0)

/** Settings in words, for where they are listed. */
export const SETTING_WORDS: Record<string, string> = {
  hold: 'contacts held',
  holds: 'contacts of a leg',
  hands: 'what hands keep to',
  moved: 'places of hands',
  bends: 'how limbs bend',
  spread: 'arms spread',
  clear: 'arms clear of the body',
  stride: 'stride',
  height: 'heights',
  path: 'path',
  follow: 'how bones follow',
  twist: 'twist',
  forearm: 'forearms',
  thigh: 'thighs',
  travel: 'travel',
  limits: 'joint limits',
  grades: 'grades',
}
