import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useMessages } from './messages'
import { useRenditions } from './renditions'

export type Run = Schemas['RunOut']

const LONG = 30 // seconds
const ASKED = 'armuto.asked to tell'

/** Offers, once in a browser, that the system tells the end of a run to who looks elsewhere meanwhile. */
function offerToTell() {
  if (!('Notification' in window) || Notification.permission !== 'default' || localStorage.getItem(ASKED)) return
  localStorage.setItem(ASKED, 'yes')
  useMessages().ask('This takes a while. Shall the system tell you when it is through, wherever you look then?', {
    label: 'Tell me',
    run: () => Notification.requestPermission(),
  })
}
function tell(text: string) {
  if (!document.hidden || !('Notification' in window) || Notification.permission !== 'granted') return
  const notification = new Notification('Armuto', { body: text, icon: '/mark.svg' })
  notification.onclick = () => window.focus()
}

/** Live counts and what is running. Asks often while something runs, seldom otherwise. */
export const useRuns = defineStore('runs', () => {
  const counts = shallowRef<Schemas['Counts'] | null>(null)
  const running = computed(() => counts.value?.runs ?? [])
  const listed = shallowRef<Run[]>([])
  /** The newest runs; those that run as they were counted last. */
  const history = computed(() => listed.value.map((run) => running.value.find((other) => other.id === run.id) ?? run))
  /** Grows whenever something was transferred: who shows states looks again. */
  const moved = ref(0)
  let timer: ReturnType<typeof setTimeout> | undefined
  let newest = 0
  let shown = 0

  async function refresh() {
    clearTimeout(timer)
    const own = ++newest
    const renditions = useRenditions()
    let wait = 6000
    try {
      const now = await answer(client.GET('/api/counts'))
      // Answers may overtake each other. Each is compared with what is shown when it comes: an end is said once.
      if (own < shown) return
      shown = own
      const before = counts.value
      counts.value = now
      const through = (counts: Schemas['Counts']) =>
        counts.runs.map((run) => `${run.id}.${run.through}.${run.running}`).join()
      // Work may be done before it was ever seen running.
      const ended =
        before !== null &&
        !!now.finished &&
        (now.finished.id !== before.finished?.id || now.finished.through !== before.finished.through)
      // Nothing has moved since a view was loaded by what is counted first.
      if (before !== null && (through(before) !== through(now) || ended)) moved.value += 1
      if (now.runs.some((run) => (run.left ?? 0) > LONG)) offerToTell()
      if (ended && now.finished) say(now.finished)
      await renditions.follow()
      if (renditions.anyBusy()) wait = 400
      else if (now.runs.length) wait = 1000
    } catch {
      // The next look will tell.
    }
    // Of several that overlap, only the newest goes on asking.
    if (own === newest) timer = setTimeout(refresh, wait)
  }
  /** A single transfer is asked for where its result is looked at; only a batch says that it is through. */
  function say(run: Run) {
    if (run.total < 2) return
    const parts = [
      run.good && `${run.good} good`,
      run.look && `${run.look} to look at`,
      run.wrong && `${run.wrong} wrong`,
      run.failed && `${run.failed} failed`,
    ].filter(Boolean)
    const path = run.failed ? `/runs/${run.id}` : '/review'
    const text = `${run.title}: all ${run.total} transfers are through, ${parts.join(', ')}.`
    tell(text)
    useMessages().say(text, {
      label: run.failed ? 'See the run' : 'Review',
      path,
    })
  }
  async function load() {
    listed.value = await answer(client.GET('/api/runs/'))
  }
  async function act(run: Run, what: 'stop' | 'continue' | 'retry') {
    const params = { params: { path: { run_id: run.id } } }
    const row = await answer(
      what === 'stop'
        ? client.POST('/api/runs/{run_id}/stop', params)
        : what === 'continue'
          ? client.POST('/api/runs/{run_id}/continue', params)
          : client.POST('/api/runs/{run_id}/retry', params),
    )
    listed.value = listed.value.map((other) => (other.id === row.id ? row : other))
    await refresh()
  }
  return { counts, running, history, moved, refresh, load, act }
})

/** "about 2 min left", in the roughness in which it is known. */
export function timeLeft(seconds: number | null | undefined): string {
  if (seconds === null || seconds === undefined) return ''
  if (seconds < 2) return 'nearly through'
  if (seconds < 55) return `about ${Math.max(5, Math.round(seconds / 5) * 5)} s left`
  if (seconds < 3300) return `about ${Math.round(seconds / 60)} min left`
  return `about ${(seconds / 3600).toFixed(1)} h left`
}
/** How long something took. */
export function spent(seconds: number): string {
  if (seconds < 60) return `${seconds.toFixed(seconds < 10 ? 1 : 0)} s`
  const minutes = Math.floor(seconds / 60)
  return minutes < 60
    ? `${minutes} min ${Math.round(seconds % 60)} s`
    : `${Math.floor(minutes / 60)} h ${minutes % 60} min`
}
