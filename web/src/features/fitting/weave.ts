import type { Schemas } from '@/api/client'
import type { Bones } from '@/stores/cast'

/**
 * Where bones and threads of the weave lie. Bones are placed by what they are read as, threads by what is paired:
 * right pairs run level.
 */
export type Fitting = Schemas['FittingOut']
export type Pair = Schemas['PairOut']
export type Part = Schemas['PartOut']
export type Which = 'source' | 'target'
export const GROUPS = ['Body', 'Left hand', 'Right hand', 'Head', 'Extras', 'All'] as const
export type Group = (typeof GROUPS)[number]

export const ROW = 24
const HEADING = 22

export interface Node {
  id: string
  which: Which
  bone: string
  joint: number
  part: string | null
  depth: number
  y: number
}
export interface Thread {
  id: string
  pair: Pair
  from: Node
  to: Node
}
export interface Gap {
  part: string
  y: number
  lacks: 'source' | 'target' | 'both' | ''
  required: boolean
  leftOut: boolean
}
export interface Heading {
  limb: string
  side: string
  y: number
}
export interface Weave {
  nodes: Node[]
  threads: Thread[]
  gaps: Gap[]
  headings: Heading[]
  height: number
}

/** The key that stands for bones outside the plan in a group. */
const FACE = ['neck', 'face', 'ear', 'head', 'eye', 'jaw', 'horn', 'beak']

/** Which group a limb is looked at in. */
export function groupOf(limb: string, parts: Part[]): Group {
  const plain = limb.replace(/^(left|right) /, '')
  if (FACE.includes(plain)) return 'Head'
  // Limbs that hang from a sided part, as fingers do from a hand.
  const first = parts.find((part) => part.limb === limb)
  if (first?.side && ['thumb', 'index', 'middle', 'ring', 'little'].includes(plain))
    return first.side === 'left' ? 'Left hand' : 'Right hand'
  return 'Body'
}

/** A bone in words, with what it is and whom it is paired with. */
export function boneLabel(node: Node, pair: Pair | undefined): string {
  const other = node.which === 'source' ? pair?.target : pair?.source
  if (!pair || !other?.length) return `${node.bone}, ${node.part ?? 'outside the body plan'}, not paired`
  const confidence = `proposed, ${Math.round(pair.confidence * 100)} of 100`
  const state = pair.crosses ? 'crossing' : pair.confirmed ? 'confirmed' : confidence
  return `${node.bone}, ${pair.part ?? 'outside the body plan'}, paired with ${other.join(', ')}, ${state}`
}
/** What is said of a part that no pair fills. */
const LACKS = {
  both: 'no bone on either side',
  source: 'no bone on the source',
  target: 'no bone on the character',
  '': 'not paired',
}
export const gapText = (gap: Gap) => (gap.leftOut ? 'left out' : LACKS[gap.lacks])
export const shortPart = (part: string) => part.replace(/^(left|right) /, '')
export const sideOf = (part: string | null | undefined) =>
  part?.startsWith('left ') ? 'left' : part?.startsWith('right ') ? 'right' : ''

/** Bone names without the namespace that all of one side share. */
export function shortened(names: string[]) {
  const heads = names.map((name) => name.slice(0, name.indexOf(':') + 1))
  const shared = heads[0] && heads.every((head) => head === heads[0]) ? heads[0].length : 0
  return (name: string) => name.slice(shared)
}

export function layOut(fitting: Fitting, source: Bones, target: Bones, group: Group): Weave {
  const out: Weave = { nodes: [], threads: [], gaps: [], headings: [], height: 0 }
  const trees = { source, target }
  const placed = { source: new Map<string, Node>(), target: new Map<string, Node>() }
  const read = { source: new Map<string, string>(), target: new Map<string, string>() }
  for (const part of fitting.parts)
    for (const which of ['source', 'target'] as const) for (const bone of part[which]) read[which].set(bone, part.name)
  const pairs = new Map(fitting.pairs.filter((pair) => pair.part).map((pair) => [pair.part as string, pair]))
  const missing = new Map(fitting.missing.map((row) => [row.part, row.side]))
  let y = 6

  function put(which: Which, bone: string, part: string | null, depth: number, at: number) {
    const joint = trees[which].names.indexOf(bone)
    if (joint < 0 || placed[which].has(bone)) return
    const node = { id: `${which} ${bone}`, which, bone, joint, part, depth, y: at }
    placed[which].set(bone, node)
    out.nodes.push(node)
  }
  const limbs = [...new Set(fitting.parts.map((part) => part.limb))]
  for (const limb of limbs) {
    if (group !== 'All' && groupOf(limb, fitting.parts) !== group) continue
    const slots = fitting.parts
      .filter((part) => part.limb === limb)
      .map((part) => {
        const pair = pairs.get(part.name)
        // A bone stands where it is read; one that is read as nothing stands where it is paired.
        const of = (which: Which) => [...part[which], ...(pair?.[which] ?? []).filter((bone) => !read[which].has(bone))]
        return { part, pair, source: of('source'), target: of('target') }
      })
      .filter(
        ({ part, pair, source: s, target: t }) =>
          s.length || t.length || pair || part.required || fitting.left_out.includes(part.name),
      )
    if (!slots.length) continue
    out.headings.push({ limb, side: slots[0].part.side, y: y + HEADING / 2 })
    y += HEADING
    slots.forEach((slot, depth) => {
      const rows = Math.max(slot.source.length, slot.target.length, 1)
      for (const which of ['source', 'target'] as const)
        slot[which].forEach((bone, n) =>
          put(which, bone, slot.part.name, Math.min(depth, 4), y + ((n + 0.5) * rows * ROW) / slot[which].length),
        )
      const leftOut = fitting.left_out.includes(slot.part.name)
      if (!slot.pair) {
        const lacks =
          !slot.source.length && !slot.target.length
            ? 'both'
            : !slot.source.length
              ? 'source'
              : !slot.target.length
                ? 'target'
                : ''
        out.gaps.push({
          part: slot.part.name,
          y: y + (rows * ROW) / 2,
          lacks,
          required: slot.part.required && missing.has(slot.part.name),
          leftOut,
        })
      }
      y += rows * ROW
    })
    y += 6
  }
  if (group === 'Extras' || group === 'All') y = extras(y)
  for (const pair of fitting.pairs) {
    const ups = pair.source.map((bone) => placed.source.get(bone)).filter((node) => !!node)
    const downs = pair.target.map((bone) => placed.target.get(bone)).filter((node) => !!node)
    if (!ups.length || !downs.length) continue
    const many = Math.max(ups.length, downs.length)
    for (let n = 0; n < many; n++) {
      const from = ups[Math.round((n * (ups.length - 1)) / Math.max(1, many - 1))]
      const to = downs[Math.round((n * (downs.length - 1)) / Math.max(1, many - 1))]
      out.threads.push({ id: `${pair.key} ${n}`, pair, from, to })
    }
  }
  out.height = Math.max(y + 6, 60)
  return out

  /** Bones that are no part of the plan: those paired with each other level, the rest in the order of their trees. */
  function extras(top: number) {
    const free = (which: Which) =>
      trees[which].names.filter((bone) => !read[which].has(bone) && !placed[which].has(bone))
    const own = fitting.pairs.filter((pair) => !pair.part)
    const rest = { source: free('source'), target: free('target') }
    if (!rest.source.length && !rest.target.length && !own.length) return top
    out.headings.push({ limb: 'outside the body plan', side: '', y: top + HEADING / 2 })
    let at = top + HEADING
    for (const pair of own) {
      const rows = Math.max(pair.source.length, pair.target.length, 1)
      for (const which of ['source', 'target'] as const)
        pair[which].forEach((bone, n) => put(which, bone, null, 0, at + ((n + 0.5) * rows * ROW) / pair[which].length))
      at += rows * ROW
    }
    for (const which of ['source', 'target'] as const) {
      let here = at
      for (const bone of rest[which]) {
        if (placed[which].has(bone)) continue
        put(which, bone, null, depthOf(trees[which], bone, read[which]), here + ROW / 2)
        here += ROW
      }
      rest[which] = [String(here)]
    }
    return Math.max(Number(rest.source[0]), Number(rest.target[0]), at)
  }
}
function depthOf(tree: Bones, bone: string, read: Map<string, string>) {
  let depth = 0
  for (
    let joint = tree.parents[tree.names.indexOf(bone)];
    joint >= 0 && !read.has(tree.names[joint]);
    joint = tree.parents[joint]
  )
    depth++
  return Math.min(depth, 5)
}

export interface Counts {
  paired: number
  missing: string[]
  doubtful: string[]
  crossing: string[]
  leftOut: number
}
export const SURE = 0.8
/** What is to be looked at, by the keys of pairs or the names of parts. */
export function counts(fitting: Fitting): Counts {
  return {
    paired: fitting.pairs.filter((pair) => pair.source.length).length,
    missing: fitting.missing.map((row) => row.part),
    doubtful: fitting.pairs.filter((pair) => !pair.confirmed && pair.confidence < SURE).map((pair) => pair.key),
    crossing: fitting.pairs.filter((pair) => pair.crosses).map((pair) => pair.key),
    leftOut: fitting.left_out.length,
  }
}
