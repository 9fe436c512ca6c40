/** Asks one after another, and takes the answer to the latest question alone, in whatever order answers come. */
export function useLatest() {
  let asked = 0
  return async <Answer>(ask: () => Promise<Answer>, take: (answer: Answer) => void) => {
    const own = ++asked
    const answer = await ask()
    if (own === asked) take(answer)
  }
}
