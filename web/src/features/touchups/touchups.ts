import type { Schemas } from '@/api/client'
import type { NumberField } from '@/shared/fields/numberField'
import { frameNumber } from '@/shared/units'

export type Layers = Schemas['LayersOut']
export type Layer = Schemas['LayerOut']
export type TouchUp = Schemas['TouchUpOut']
export type Key = Schemas['KeyOut']
export type Edit = Schemas['TouchUpEdit']
export type Bone = Schemas['BoneOut']
export type Finding = Schemas['FindingOut']
/** In place of the number of a touch-up: the key is one of the layer's weight. */
export const WEIGHT = -1
/** A key by the numbers of its touch-up in the layer, or WEIGHT, and of itself there. */
export type KeyPath = readonly [touchup: number, key: number]
/** A change in the form people make it: whatever is not said is as the API has it by default. */
export type Wanted = Partial<Edit> & Pick<Edit, 'op'>

export const keyName = ([touchup, key]: KeyPath) => `${touchup}.${key}`
/** Where a key of a layer is, or nothing where it was removed meanwhile. */
export const keyAt = (layer: Layer | undefined, [touchup, key]: KeyPath) => layer?.touchups[touchup]?.keys[key]

/** The keys of a layer's weight, none where it is the same throughout. */
export const weightKeys = (layer: Layer | undefined) => (Array.isArray(layer?.weight) ? layer.weight : [])
/** The frame of a key, of a touch-up or the weight: null where the clip does not show it, nothing where it is gone. */
export const frameOf = (layer: Layer | undefined, path: KeyPath): number | null | undefined =>
  (path[0] === WEIGHT ? weightKeys(layer)[path[1]] : keyAt(layer, path))?.frame
/** All keys of a layer. */
export const keyPaths = (layer: Layer | undefined): KeyPath[] => [
  ...(layer?.touchups ?? []).flatMap(({ keys }, n) => keys.map((_, k): KeyPath => [n, k])),
  ...weightKeys(layer).map((_, k): KeyPath => [WEIGHT, k]),
]

/** What is drawn of a touch-up on the strip: where its bracket rises, stands and falls, in frames. */
export function bracketOf({ first, last, keys }: TouchUp) {
  const frames = keys.map((key) => key.frame).filter((frame): frame is number => frame !== null)
  return frames.length ? { first, rise: Math.min(...frames), fall: Math.max(...frames), last } : null
}

/** The nearest key before or after a frame, on any touch-up of a layer. */
export function neighbourKey(layer: Layer, frame: number, direction: 1 | -1): { path: KeyPath; frame: number } | null {
  let best: { path: KeyPath; frame: number } | null = null
  layer.touchups.forEach((touchup, n) =>
    touchup.keys.forEach((key, k) => {
      if (key.frame === null || (key.frame - frame) * direction < 0.5) return
      if (!best || (best.frame - key.frame) * direction > 0) best = { path: [n, k], frame: key.frame }
    }),
  )
  return best
}

/** A touch-up's unit, and what its numbers are multiplied by for people. */
export const unitOf = (channel: TouchUp['channel']) =>
  channel === 'rotation' ? { unit: '°', scale: 1 } : { unit: 'cm', scale: 100 }

export const WEIGHT_FIELD: NumberField = {
  path: 'weight',
  label: 'weight',
  type: 'number',
  least: 0,
  most: 200,
  step: 5,
  scale: 100,
  unit: '%',
}
/** Keys of a weight in words. */
export const weightText = (weight: Layer['weight']) =>
  typeof weight === 'number'
    ? `${Math.round(weight * 100)} %`
    : weight
        .map(
          ({ frame, value }) => `${Math.round(value * 100)} % at ${frame === null ? 'no frame' : frameNumber(frame)}`,
        )
        .join(', ')
/** A weight as it is at a frame, or at the nearest of its keys. */
export function weightAt(weight: Layer['weight'], frame: number): number {
  if (typeof weight === 'number') return weight
  const away = (at: number | null) => (at === null ? Infinity : Math.abs(at - frame))
  return weight.reduce((best, key) => (away(key.frame) < away(best.frame) ? key : best)).value
}

/** Axes of the world as a body sees them that faces along +Z, as all do at the start of their files. */
export const WORLD_AXES = [
  { name: 'left', axis: [1, 0, 0] },
  { name: 'up', axis: [0, 1, 0] },
  { name: 'ahead', axis: [0, 0, 1] },
] as const
/** Names of the axes of a touch-up's numbers: the bone's own, or the world's or those of the part it moves with. */
export const axisNames = ({ channel }: Pick<TouchUp, 'channel'>) =>
  channel === 'rotation' ? ['x', 'y', 'z'] : WORLD_AXES.map(({ name }) => name)

/** The bones that a layer can touch, those of a body's parts first, by limb. */
export function byLimb(bones: Bone[]): { limb: string; bones: Bone[] }[] {
  const out = new Map<string, Bone[]>()
  for (const bone of bones) {
    const limb = bone.part ? bone.limb : 'without a part'
    out.set(limb, [...(out.get(limb) ?? []), bone])
  }
  const rows = [...out].map(([limb, list]) => ({ limb, bones: list }))
  return [
    ...rows.filter((row) => row.limb !== 'without a part'),
    ...rows.filter((row) => row.limb === 'without a part'),
  ]
}

/** A bone as people call it: by its part, numbered where that has several. */
export const boneLabel = ({ part, number, bone }: Bone) => (part ? `${part}${number ? ` ${number + 1}` : ''}` : bone)
