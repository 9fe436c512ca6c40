import type { NodeMotion, Positions } from '@/stage/motion'
import { fetchArrays } from './client'

/** World positions of a clip's points, and its frames per second. */
export async function fetchPositions(path: string, signal?: AbortSignal): Promise<Positions & { fps: number }> {
  const { blocks, fps } = await fetchArrays(path, signal)
  const [frames, points] = blocks[0].shape
  return { frames, points, values: blocks[0].values, fps }
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
