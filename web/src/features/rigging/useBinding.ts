import { onScopeDispose, ref } from 'vue'

import { answer, client, Refused, type Schemas } from '@/api/client'

const ASKED = 400 // milliseconds between two looks at how far it is

type Binding = Schemas['RigBinding']

/** A binding that nobody waits for any more. */
export class GivenUp extends Refused {}

/** A mesh bound to its bones, with how far that is, and a way to give it up. */
export function useBinding(id: number) {
  /** 0 to 1 while a binding is under way and something is said of it. */
  const share = ref<number | null>(null)
  const doing = ref('')
  /** Whether the last binding was given up. */
  const stopped = ref(false)
  let job = ''
  let request: AbortController | undefined
  let newest: Promise<Binding> | undefined

  /** The binding of what is decided now; who asked for one before goes along with it. */
  const bind = () => following((newest = begin()))
  const following = (own: Promise<Binding>): Promise<Binding> =>
    own.catch((problem: unknown) => {
      if (problem instanceof GivenUp && newest && newest !== own) return following(newest)
      throw problem
    })
  async function begin(): Promise<Binding> {
    void cancel()
    // Where a page is not served over https nothing better is there, and it has only to be nobody else's.
    const mine = (job = Array.from({ length: 20 }, () => Math.floor(Math.random() * 36).toString(36)).join(''))
    stopped.value = false
    const looking = setInterval(() => void look(mine), ASKED)
    try {
      const params = { path: { character_id: id }, query: { job: mine } }
      const { signal } = (request = new AbortController())
      return await answer(client.GET('/api/rigs/{character_id}/binding', { params, signal }))
    } catch (problem) {
      throw job === mine ? problem : new GivenUp()
    } finally {
      clearInterval(looking)
      if (job === mine) {
        job = ''
        share.value = null
      }
    }
  }
  async function look(mine: string) {
    const { data } = await client
      .GET('/api/rigs/jobs/{job}', { params: { path: { job: mine } } })
      .catch(() => ({ data: undefined })) // the binding itself says what is wrong
    if (job !== mine || !data || data.share === null) return
    share.value = data.share
    doing.value = data.doing
  }
  /** Give up what is under way, if anything is. */
  async function cancel() {
    if (!job) return
    const params = { params: { path: { job } } }
    job = ''
    share.value = null
    stopped.value = true
    request?.abort()
    await client.DELETE('/api/rigs/jobs/{job}', { ...params, keepalive: true }).catch(() => undefined)
  }
  onScopeDispose(() => void cancel())
  return { share, doing, stopped, bind, cancel }
}
