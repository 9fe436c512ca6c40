/**
 * Asks whenever it is told to, and takes every answer that is not older than one that was taken: whoever waits for an
 * answer has what was there when they asked, or later.
 */
export function useNewest() {
  let asked = 0
  let taken = 0
  return async <Answer>(ask: () => Promise<Answer>, take: (answer: Answer) => void) => {
    const own = ++asked
    const answer = await ask()
    if (own < taken) return
    taken = own
    take(answer)
  }
}
