import type { Middleware } from 'openapi-fetch'

/** Who changes something, until there are accounts: this browser, in all its windows. */
function sessionId(): string {
  const KEY = 'armuto.session'
  try {
    const known = localStorage.getItem(KEY)
    if (known) return known
    const made = Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(36)).join('')
    localStorage.setItem(KEY, made)
    return made
  } catch {
    return 'no storage' // as in a window that keeps nothing: then it is one of several such persons
  }
}

/** This page, which knows already of what it has asked for itself. */
export const pageId = Array.from(crypto.getRandomValues(new Uint32Array(3)), (part) => part.toString(36)).join('')

/** Says that a row is changed as it was in this version of it. */
export const onVersion = (row?: { lock_version: number } | number) =>
  row === undefined ? {} : { 'If-Match': `"${typeof row === 'number' ? row : row.lock_version}"` }

/** Of a row that is shown and an answer about it the newer one: an answer that was under way while the row was changed
 * again is older than what is shown. */
export const newer = <Row extends { lock_version: number }>(shown: Row | null | undefined, answered: Row): Row =>
  shown && shown.lock_version > answered.lock_version ? shown : answered

const FITTING = /\/api\/fittings\/\d+/
/** The revision of each fitting as this page was last told it, by its address. */
const revisions = new Map<string, string>()

/** The token that every change must bring, which the studio gives in a cookie. */
const csrfToken = () => /(?:^|;\s*)armuto_csrf=([^;]+)/.exec(document.cookie)?.[1] ?? ''

/** Says with every request who makes it, and with every change of a fitting on which revision it is made; of other
 * rows the stores say it (onVersion). */
export const concurrency: Middleware = {
  onRequest({ request }) {
    request.headers.set('Armuto-Session', sessionId())
    if (request.method !== 'GET') {
      request.headers.set('X-CSRFToken', csrfToken())
      request.headers.set('Armuto-Page', pageId)
    }
    const revision = revisions.get(FITTING.exec(request.url)?.[0] ?? '')
    if (revision && request.method !== 'GET') request.headers.set('If-Match', revision)
  },
  onResponse({ request, response }) {
    const [fitting] = FITTING.exec(request.url) ?? []
    const revision = response.headers.get('ETag')
    // A compressed answer has a weak one (RFC 9110), of the same revision.
    const own = /^(?:W\/)?("\d+")$/.exec(revision ?? '')?.[1]
    if (fitting && response.ok && own) revisions.set(fitting, own)
  },
}
