/**
 * The order in which clips are listed once more is known of them. Whoever is about to press the number of a clip would
 * get another: those that are listed keep their places, and others come after them.
 *
 * listed: clips by number, as they are. best: as they would be. offered: all that may be listed.
 */
export function keepOrder(listed: number[], best: number[], offered: Set<number>): number[] {
  const known = new Set(listed)
  return [...listed.filter((id) => offered.has(id)), ...best.filter((id) => !known.has(id))]
}
