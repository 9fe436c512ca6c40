import { tryOnScopeDispose, useDebounceFn, useDocumentVisibility, useEventListener } from '@vueuse/core'
import { defineStore } from 'pinia'
import { watch } from 'vue'

import { pageId } from '@/api/concurrency'
import { useConnection } from './connection'

const ALL = [
  'library',
  'splices',
  'rigs',
  'cast',
  'ingest',
  'sources',
  'fittings',
  'ensembles',
  'stances',
  'renditions',
  'delivery',
  'callsheet',
  'patterns',
] as const
export type Subject = (typeof ALL)[number]
/**
 * Something that was written elsewhere. path: of the request that wrote it; empty for what the studio did by itself.
 */
export interface Change {
  subjects: readonly Subject[]
  path: string
}
type Listener = (changes: Change[]) => unknown

/** Milliseconds in which changes are gathered before somebody looks at them together. */
const GATHERING = 250

/** What other pages and other people change: one stream of events for this page, while it is in view. */
export const useChanges = defineStore('changes', () => {
  const listeners = new Map<Listener, Subject[]>()
  let source: EventSource | null = null
  /** The last change that was heard of. A browser goes on from there by itself, but not in a new stream. */
  let last = ''
  let gathered: Change[] = []

  const tell = useDebounceFn(
    () => {
      const changes = gathered
      gathered = []
      for (const [listener, subjects] of listeners) {
        const own = changes.filter((change) => change.subjects.some((subject) => subjects.includes(subject)))
        if (own.length) listener(own)
      }
    },
    GATHERING,
    { maxWait: 4 * GATHERING },
  )
  function hear(event: MessageEvent<string>) {
    last = event.lastEventId
    const change = JSON.parse(event.data) as Change & { page: string }
    if (change.page === pageId) return
    gathered.push(change)
    void tell()
  }
  function missed(event: MessageEvent<string>) {
    last = event.lastEventId
    gathered.push({ subjects: ALL, path: '' })
    void tell()
  }
  function open() {
    if (source) return
    source = new EventSource(`/api/changes${last && `?after=${last}`}`)
    source.addEventListener('message', hear)
    source.addEventListener('missed', missed)
    source.addEventListener('begin', (event) => (last = event.lastEventId))
    source.addEventListener('error', () => void useConnection().check())
  }
  function close() {
    source?.close()
    source = null
  }
  /** Begin to listen. A window that nobody sees holds no connection, of which a browser has few for each studio. */
  function follow() {
    const visibility = useDocumentVisibility()
    watch(visibility, (now) => (now === 'visible' ? open() : close()), { immediate: true })
    useEventListener(window, 'pagehide', close)
    useEventListener(window, 'pageshow', () => visibility.value === 'visible' && open())
    tryOnScopeDispose(close)
    // What could not be fetched meanwhile is fetched now, whoever has changed it.
    useConnection().onReturn(() => {
      gathered.push({ subjects: ALL, path: '' })
      void tell()
    })
  }
  /** Call work for what others change of these subjects, as long as the component is there that asks for it. */
  function on(subjects: Subject[], work: Listener) {
    listeners.set(work, subjects)
    tryOnScopeDispose(() => listeners.delete(work))
  }
  return { follow, on }
})
