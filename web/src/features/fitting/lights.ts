import type { Bones } from '@/stores/cast'
import type { Fitting, Which } from './weave'

/** A key that is pointed at: "source Hips", "target pelvis", or a pair or part without a side. */
export function split(key: string): [Which | '', string] {
  const which = key.startsWith('source ') ? 'source' : key.startsWith('target ') ? 'target' : ''
  return [which, which ? key.slice(7) : key]
}

/**
 * Which rings are filled on both figures: of what is pointed at; large ones of bones that are held and pairs that
 * just changed.
 */
export function lights(
  fitting: Fitting | null,
  trees: Record<Which, Bones | null>,
  lit: string[],
  held: { which: Which; bone: string }[],
  changed: string[],
) {
  const rings = { source: new Set<number>(), target: new Set<number>() }
  const large = { source: new Set<number>(), target: new Set<number>() }
  const put = (into: typeof rings, which: Which, names: string[]) => {
    for (const name of names) {
      const joint = trees[which]?.names.indexOf(name) ?? -1
      if (joint >= 0) into[which].add(joint)
    }
  }
  for (const key of lit) {
    const [which, bone] = split(key)
    if (which) put(rings, which, [bone])
    const own = fitting?.pairs.find((row) => row.key === key)
    const part = fitting?.parts.find((row) => row.name === key)
    for (const side of ['source', 'target'] as const) put(rings, side, own?.[side] ?? part?.[side] ?? [])
  }
  for (const { which, bone } of held) put(large, which, [bone])
  for (const key of changed) {
    const own = fitting?.pairs.find((row) => row.key === key)
    for (const side of ['source', 'target'] as const) put(large, side, own?.[side] ?? [])
  }
  return { rings, large }
}
