import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'

import {
  readFrame,
  type KeptTake,
  type LiveFrame,
  type PageMessage,
  type Role,
  type StageState,
  type StudioMessage,
} from './liveMessages'

const AGAIN = 2000 // milliseconds before the studio is asked again
const ASK_CLOCK = 3000
/** Why the studio ends a connection for good, by its code (studio/live/consumer.py). */
const ENDED: Record<number, string> = {
  1008: 'The studio does not know this stage any more.',
  1013: 'As many pages watch a stage as the studio takes; close one of them.',
}

/** A page's WebSocket to a stage: who performs is told, frames come. It comes back by itself. */
export function useLiveConnection(
  source: Ref<number | null>,
  roles: Ref<Role[]>,
  show: (character: number, frame: LiveFrame) => void,
) {
  const state = shallowRef<StageState | null>(null)
  const kept = ref<KeptTake[]>([])
  const problem = ref('')
  /** Seconds by which the studio's clock is ahead of this one. */
  let ahead = 0
  let quickest = Infinity
  let socket: WebSocket | null = null
  let timer: ReturnType<typeof setTimeout> | undefined
  const asking = setInterval(askClock, ASK_CLOCK)
  const now = () => Date.now() / 1000 + ahead

  function send(message: PageMessage) {
    if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message))
  }
  function askClock() {
    send({ clock: Date.now() / 1000 })
  }
  function take({ clock, here, state: told, kept: takes }: StudioMessage) {
    if (clock !== undefined && here !== undefined) {
      const took = Date.now() / 1000 - clock
      // The quickest of some answers counts; what was known before it is less sure with time.
      if (took <= quickest) [ahead, quickest] = [here - clock - took / 2, took]
      else quickest += 0.0005
    }
    if (told) state.value = told
    if (takes) kept.value = [...takes, ...kept.value]
  }
  function open() {
    close()
    if (source.value === null) return
    const own = new WebSocket(`${location.origin.replace(/^http/, 'ws')}/live/${source.value}`)
    socket = own
    own.binaryType = 'arraybuffer'
    own.onopen = () => {
      problem.value = ''
      askClock()
      send({ perform: roles.value })
    }
    own.onmessage = ({ data }) => {
      if (own !== socket) return
      if (typeof data === 'string') return take(JSON.parse(data) as StudioMessage)
      const { character, ...frame } = readFrame(data as ArrayBuffer)
      show(character, frame)
    }
    own.onclose = ({ code }) => {
      if (own !== socket) return
      socket = null
      state.value = null
      problem.value = ENDED[code] ?? 'The studio does not answer; it is asked again.'
      if (!(code in ENDED)) timer = setTimeout(open, AGAIN)
    }
  }
  function close() {
    clearTimeout(timer)
    const own = socket
    socket = null
    state.value = null
    problem.value = ''
    own?.close()
  }
  watch(source, open, { immediate: true })
  watch(roles, (wanted) => send({ perform: wanted }))
  onScopeDispose(() => {
    clearInterval(asking)
    close()
  })
  return { state, kept, problem, now, record: (on: boolean) => send({ record: on }) }
}
