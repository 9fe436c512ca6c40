import type { Mesh } from 'three'

const TRIANGLES = 10_000 // of a whole figure
const DEVIATION = 0.01 // of the size of a mesh: as far as its surface may come to lie from where it was

/**
 * Leave away triangles of a figure that pixels computed without a graphics card cannot afford (Garland and Heckbert,
 * 1997): its vertices and all that is bound to them stay, its edges too, so that parts beside one another stay closed.
 */
export async function simplify(meshes: Mesh[]) {
  const indexed = meshes.filter(({ geometry }) => geometry.index && geometry.attributes.position)
  const total = indexed.reduce((sum, { geometry }) => sum + geometry.index!.count / 3, 0)
  if (total <= TRIANGLES) return
  const { MeshoptSimplifier } = await import('meshoptimizer/simplifier')
  await MeshoptSimplifier.ready
  for (const { geometry } of indexed) {
    const { position } = geometry.attributes
    const places = new Float32Array(position.count * 3)
    for (let n = 0; n < position.count; n++) {
      places[n * 3] = position.getX(n)
      places[n * 3 + 1] = position.getY(n)
      places[n * 3 + 2] = position.getZ(n)
    }
    const indices = Uint32Array.from(geometry.index!.array)
    const wanted = Math.floor((indices.length / 3) * (TRIANGLES / total)) * 3
    const [fewer] = MeshoptSimplifier.simplify(indices, places, 3, wanted, DEVIATION, ['LockBorder'])
    geometry.setIndex([...fewer])
  }
}
