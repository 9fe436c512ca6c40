/** Motion arrays as the stage plays them. Frame first, then joint. */

/** World positions of joints, then end sites: (frames, points, 3) in metres. */
export interface Positions {
  frames: number
  points: number
  values: Float32Array
}

/** Local rotations (frames, joints, 4) and translations (frames, joints, 3) of a character's own nodes. */
export interface NodeMotion {
  frames: number
  joints: number
  rotations: Float32Array
  translations: Float32Array
}

/** A tree to draw: parent of every point (-1 for none), and the side each point belongs to. */
export interface Tree {
  parents: number[]
  sides: ('left' | 'right' | '')[]
  rings: number // points from here on are end sites and get no ring
}

/** The tree of joints with their end sites behind them. */
export function treeOf(parents: number[], parts: (string | null)[], ends: number[]): Tree {
  const sides: Tree['sides'] = []
  parents.forEach((parent, joint) => {
    const word = parts[joint]?.split(' ')[0]
    sides.push(word === 'left' || word === 'right' ? word : parts[joint] || parent < 0 ? '' : sides[parent])
  })
  return {
    parents: [...parents, ...ends],
    sides: [...sides, ...ends.map((joint) => sides[joint])],
    rings: parents.length,
  }
}
