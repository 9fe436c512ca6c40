/** Of several questions that overlap, only the last one's answer is taken; whoever asked before goes on when it is. */
export function useLatest() {
  let asked = 0
  let newest: Promise<void> = Promise.resolve()
  return <Answer>(ask: () => Promise<Answer>, take: (answer: Answer) => void): Promise<void> => {
    const own = ++asked
    const done = (async () => {
      const answer = await ask()
      if (own === asked) take(answer)
      // Who asked last is told where that fails.
      else await newest.catch(() => undefined)
    })()
    newest = done
    return done
  }
}
