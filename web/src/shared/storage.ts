/** What a browser may withhold from a page, and what takes its place, so that the rest goes on. */

class Memory implements Storage {
  private readonly rows = new Map<string, string>()
  get length() {
    return this.rows.size
  }
  key = (at: number) => [...this.rows.keys()][at] ?? null
  getItem = (key: string) => this.rows.get(key) ?? null
  setItem = (key: string, value: string) => void this.rows.set(key, String(value))
  removeItem = (key: string) => void this.rows.delete(key)
  clear = () => this.rows.clear()
}

function works(kind: 'localStorage' | 'sessionStorage'): boolean {
  const KEY = 'armuto.probe'
  try {
    window[kind].setItem(KEY, KEY)
    window[kind].removeItem(KEY)
    return true
  } catch {
    return false
  }
}

/** Puts storage that lasts as long as the page where the browser allows none. Returns whether it had to. */
export function replaceStorage(): boolean {
  const missing = (['localStorage', 'sessionStorage'] as const).filter((kind) => !works(kind))
  for (const kind of missing) Object.defineProperty(window, kind, { value: new Memory(), configurable: true })
  return missing.length > 0
}

/** Whether the studio stands in another page, whose clicks would not be the person's own. */
export const isFramed = () => window.top !== window.self

export const FORGETFUL =
  'This browser keeps nothing for the studio: choices of the view are forgotten when the page is closed.'
export const WITHOUT_COOKIES =
  'This browser keeps no cookie of the studio, so nothing can be changed; allow cookies for this address.'
export const FRAMED = 'The studio does not work inside another page; open it by itself:'
