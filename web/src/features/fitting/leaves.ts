/** The leaves of a fitting, in the order of the work. */
export const LEAVES = { pair: 'Pair', stance: 'Stance', transfer: 'Transfer', touchup: 'Touch up' } as const
export type Leaf = keyof typeof LEAVES
export const isLeaf = (name: unknown): name is Leaf => typeof name === 'string' && Object.hasOwn(LEAVES, name)
