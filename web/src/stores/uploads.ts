const PER_REQUEST = 24
const BYTES_PER_REQUEST = 32 * 1024 * 1024
/** What goes together goes at once up to here, which is below what the studio takes in one request. */
const BYTES_TOGETHER = 180 * 1024 * 1024
const NAMING = /\.(gltf|dae|obj)$/i
const BY_ITSELF = /\.(bvh|glb|vrm|usd[acz]?|ply|stl|zip)$/i
/** Endings of what such files name, for a choice of several. */
export const COMPANIONS = ',.mtl,.bin,.png,.jpg,.jpeg'

const pathOf = (file: File) => file.webkitRelativePath || file.name
const sizeOf = (files: File[]) => files.reduce((sum, file) => sum + file.size, 0)

/**
 * Files in the portions in which they are sent: few, and not much, so that progress shows and no limit is met. Files of
 * a folder that name others, and the others, are in one, since the studio reads them together.
 */
export function inRequests(files: File[]): File[][] {
  const folders = new Map<string, File[]>()
  for (const file of files) {
    const top = pathOf(file).includes('/') ? pathOf(file).split('/')[0] : ''
    if (!BY_ITSELF.test(file.name)) folders.set(top, [...(folders.get(top) ?? []), file])
  }
  const together = [...folders.values()].filter(
    (held) =>
      held.some((file) => NAMING.test(file.name)) &&
      held.some((file) => !NAMING.test(file.name)) &&
      sizeOf(held) <= BYTES_TOGETHER,
  )
  const taken = new Set(together.flat())
  return [...together, ...inPortions(files.filter((file) => !taken.has(file)))]
}

function inPortions(files: File[]): File[][] {
  const out: File[][] = []
  let bytes = 0
  for (const file of files) {
    const last = out.at(-1)
    if (last && last.length < PER_REQUEST && bytes + file.size <= BYTES_PER_REQUEST) last.push(file)
    else {
      out.push([file])
      bytes = 0
    }
    bytes += file.size
  }
  return out
}
