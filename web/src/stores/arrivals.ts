import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { answer, client, Refused, type Schemas } from '@/api/client'
import { useCast } from './cast'
import { useLibrary } from './library'
import { useMessages } from './messages'
import { useRuns } from './runs'

type Arrival = Schemas['ArrivalOut']
/** Endings of all files that can be brought in. */
export const MOTION = '.bvh,.glb,.gltf,.dae,.usd,.usda,.usdc,.usdz,.zip'
export const FIGURES = '.glb,.gltf,.vrm,.dae,.usd,.usda,.usdc,.usdz,.obj,.ply,.stl,.zip'

export type Goal = 'auto' | 'library' | 'cast'

/** Bringing in files, one after another, each all or nothing. */
export const useArrivals = defineStore('arrivals', () => {
  const total = ref(0)
  const done = ref(0)
  const name = ref('')
  /** How far the archive is that is being read, if one is. */
  const inside = ref<{ done: number; total: number } | null>(null)
  const busy = computed(() => done.value < total.value)
  let queue: Promise<unknown> = Promise.resolve()

  /** Bring in one after another; returns the ids of all that came in. */
  function enqueue(names: string[], send: (n: number) => Promise<Arrival>) {
    total.value += names.length
    const work = queue.then(async () => {
      const found = { clips: [] as number[], characters: [] as number[] }
      for (const [n, own] of names.entries()) {
        name.value = own
        try {
          const arrived = await follow(await send(n))
          found.clips.push(...arrived.clips)
          found.characters.push(...arrived.characters)
        } catch (problem) {
          useMessages().fail(problem)
        }
        done.value += 1
      }
      if (done.value === total.value) done.value = total.value = 0
      await Promise.all([useLibrary().load(), useCast().load(), useRuns().refresh()])
      return found
    })
    queue = work.catch(() => undefined)
    return work
  }

  function bringIn(files: File[], goal: Goal = 'auto'): Promise<{ clips: number[]; characters: number[] }> {
    if (!files.length)
      useMessages().warn('There is no file in what was dropped; drop motion, figures, or a folder of them.')
    return enqueue(
      files.map((file) => file.name),
      (n) => upload(files[n], goal),
    )
  }
  /** The museum's figures, for an empty studio. */
  const bringInMuseum = () =>
    enqueue(["the museum's night"], async () => (await answer(client.POST('/api/arrivals/museum'))) as Arrival)

  function upload(file: File, goal: Goal) {
    const body = new FormData()
    body.append('file', file)
    body.append('goes_to', goal)
    return answer(
      client.POST('/api/arrivals/', { body: body as never, bodySerializer: (form) => form as never }),
    ) as Promise<Arrival>
  }
  /** What became of an arrival, as soon as it is read. */
  async function follow(arrival: Arrival): Promise<Required<Pick<Arrival, 'clips' | 'characters'>>> {
    while (arrival.state === 'waiting' || arrival.state === 'reading') {
      await new Promise((resolve) => setTimeout(resolve, 300))
      const path = { arrival_id: arrival.id as number }
      arrival = await answer(client.GET('/api/arrivals/{arrival_id}', { params: { path } }))
      if ((arrival.total ?? 1) > 1) inside.value = { done: arrival.done ?? 0, total: arrival.total ?? 1 }
    }
    inside.value = null
    if (arrival.id) await client.DELETE('/api/arrivals/{arrival_id}', { params: { path: { arrival_id: arrival.id } } })
    if (arrival.state === 'refused') throw new Refused(arrival.sentence ?? '')
    for (const sentence of arrival.refused ?? []) useMessages().fail(new Refused(sentence))
    return { clips: arrival.clips ?? [], characters: arrival.characters ?? [] }
  }
  return { total, done, name, inside, busy, bringIn, bringInMuseum }
})
