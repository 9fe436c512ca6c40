import type { NodeMotion, Positions } from '@/stage/motion'
import { answer, arraysOf, client, fetchArrays, DELTAS, type Arrays, type Schemas } from './client'

/** World positions of a clip's points, and its frames per second. */
export async function fetchPositions(path: string, signal?: AbortSignal): Promise<Positions & { fps: number }> {
  const { blocks, fps } = await fetchArrays(path, signal)
  const [frames, points] = blocks[0].shape
  return { frames, points, values: blocks[0].values, fps }
}

/** A clip as its recipe has it: world positions, and which frame of the take each of its frames shows. */
export interface Refined {
  positions: Positions & { fps: number }
  takeFrames: Float32Array
}
function refinedOf({ blocks: [places, frames], fps }: Arrays): Refined {
  const [count, points] = places.shape
  return { positions: { frames: count, points, values: places.values, fps }, takeFrames: frames.values }
}
export const fetchRefined = async (id: number) => refinedOf(await fetchArrays(`/api/library/clips/${id}/refined`))

/** What another recipe would make of a clip. */
export async function tryRecipe(id: number, recipe: Schemas['Recipe']): Promise<Refined> {
  const path = { params: { path: { clip_id: id } } }
  const asked = client.POST('/api/library/clips/{clip_id}/refined', {
    ...path,
    body: { recipe },
    headers: { Accept: DELTAS },
    parseAs: 'arrayBuffer',
  })
  const data = (await answer(asked)) as unknown as ArrayBuffer
  return refinedOf(arraysOf((await asked).response, data))
}

/** A character's motion on its own nodes, and its frames per second. */
export async function fetchNodeMotion(path: string, signal?: AbortSignal): Promise<NodeMotion & { fps: number }> {
  const { blocks, fps } = await fetchArrays(path, signal)
  const [rotations, translations] = blocks
  const [frames, joints] = rotations.shape
  return { frames, joints, rotations: rotations.values, translations: translations.values, fps }
}

/** Numbers that came within JSON: float32 in base64. */
export const decodeFloats = (text: string) =>
  new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer)

/** One pose of a character: (joints, 4) local rotations, then (joints, 3) translations. */
export function decodePose(text: string, joints: number) {
  const values = decodeFloats(text)
  return { rotations: values.subarray(0, joints * 4), translations: values.subarray(joints * 4) }
}
