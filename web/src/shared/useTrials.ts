/**
 * Changes that are only tried, as while a hand draws at something: one after another is asked, the latest wins, and
 * nothing is kept. Once a trial is settled, answers that are still under way are shown no more.
 */
export function useTrials<Wanted, Answer>(
  ask: (wanted: Wanted) => Promise<Answer>,
  show: (answer: Answer) => void,
  fail: (problem: unknown) => void,
) {
  let waiting: { wanted: Wanted } | null = null
  let busy = false
  let trial = 0
  async function attempt(wanted: Wanted) {
    waiting = { wanted }
    if (busy) return
    busy = true
    try {
      while (waiting) {
        const next: { wanted: Wanted } = waiting
        waiting = null
        const own = trial
        const answer = await ask(next.wanted)
        if (own === trial) show(answer)
      }
    } catch (problem) {
      fail(problem)
    } finally {
      busy = false
    }
  }
  function settle() {
    trial += 1
    waiting = null
  }
  return { attempt, settle }
}
