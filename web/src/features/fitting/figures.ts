import { Refused, type Schemas } from '@/api/client'
import type { Palette } from '@/stage/palette'
import { useCast, type Bones, type Character } from '@/stores/cast'

export type StageModule = typeof import('@/stage')

// Fetched while a view that draws figures asks for what it draws, not after; who opens the stage says what failed.
void import('@/stage').catch(() => undefined)

/** The sides and parents of a skeleton as the stage draws them. */
export const treeFor = (module: StageModule, bones: Bones) => module.treeOf(bones.parents, bones.parts, bones.ends)

export type WaitingFigure = Schemas['FigureOut']

/** A character that waits in the intake, as a figure for the stage; null where it has just been decided on. */
export async function loadWaiting(module: StageModule, palette: Palette, id: number, about: WaitingFigure) {
  const response = await fetch(`/api/intake/files/${id}/display`)
  if (response.status === 204) return null
  if (!response.ok) throw new Refused('The waiting figure could not be fetched; reload the page.')
  const tree = module.treeOf(about.parents, about.parts, [])
  const data = await response.arrayBuffer()
  return read('It', () => module.Figure.read(data, about.nodes, tree, about.space, palette, about.height))
}

/** A figure of its file, or a Refused where its mesh cannot be drawn. */
async function read<T>(name: string, reading: () => Promise<T>) {
  try {
    return await reading()
  } catch (problem) {
    console.warn(problem)
    throw new Refused(`${name} cannot be shown here, its mesh is damaged; bones and motion are not affected.`)
  }
}

/** A character's file as a figure for the stage. */
export async function loadFigure(module: StageModule, palette: Palette, character: Character) {
  const whole = localStorage.getItem('armuto.whole-meshes') === 'true'
  const [response, bones] = await Promise.all([
    fetch(`/api/cast/${character.id}/display${whole ? '?whole=true' : ''}`),
    useCast().skeleton(character.skeleton_id),
  ])
  if (!response.ok) throw new Refused(`${character.name}: its file could not be fetched; reload the page.`)
  const tree = module.treeOf(bones.parents, bones.parts, [])
  const data = await response.arrayBuffer()
  return read(character.name, () =>
    module.Figure.read(data, character.nodes, tree, character.space, palette, character.height),
  )
}
