import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'
import type { View } from './stances'
import { KEYS } from './useStances'
import { groupOf, type Fitting, type Group, type Which } from './weave'

/** How source and character stand to each other on the stage, and where the camera looks at them from. */
export interface Pose {
  stage: Stage
  fitting: Fitting
  trees: Record<Which, Bones>
  /** Poses of the source and of the character at some frames of the clip. */
  rows: RibbonRow[]
  /** Heights of the two in metres. */
  heights: Record<Which, number>
  beside: boolean
}
/** Degrees from the front that both are looked at from. */
const VIEW = 24
const ANGLE = (VIEW * Math.PI) / 180
const aside = (pose: ArrayLike<number>, at: number, from: ArrayLike<number>, root: number) =>
  (pose[at] - from[root]) * Math.cos(ANGLE) - (pose[at + 2] - from[root + 2]) * Math.sin(ANGLE)
const rootOf = (tree: Bones) => Math.max(0, tree.parts.indexOf('hips')) * 3

/** How far the two reach to the sides of their hips together, so that long bodies do not stand in each other. */
function breadth({ rows, trees }: Pose): number {
  return rows.reduce((sum, row, n) => {
    const root = rootOf(n ? trees.target : trees.source)
    let most = 0
    for (const pose of row.poses)
      for (let at = 0; at < pose.length; at += 3) most = Math.max(most, Math.abs(aside(pose, at, pose, root)))
    return sum + most
  }, 0)
}
/** How much further one of the two has come than the other at the end. */
function drift({ rows, trees }: Pose): number {
  const [a, b] = rows.map((row, n) => {
    const root = rootOf(n ? trees.target : trees.source)
    return aside(row.poses[row.poses.length - 1], root, row.poses[0], root)
  })
  return b === undefined ? 0 : Math.min(1.5, Math.abs(a - b))
}
/** The greatest height any joint comes to, so that raised hands stay in the picture. */
function top({ rows }: Pose): number {
  let most = 0
  for (const row of rows)
    for (const pose of row.poses) for (let n = 1; n < pose.length; n += 3) most = Math.max(most, pose[n])
  return most
}

/** Stand the two side by side or over each other; with look, look at both. */
export function stand(pose: Pose, look: boolean) {
  const { stage, trees, heights, beside } = pose
  const wide = breadth(pose)
  const tall = Math.max(heights.source, heights.target)
  const apart = beside ? Math.max(tall * 0.36, wide * 0.58) : 0
  stage.moveTo('source', -apart, 0)
  stage.moveTo('character', apart, 0)
  stage.floor.compassAt(beside ? 0 : 0.9, beside ? -0.1 : 0.2)
  const figure = stage.figure('character')
  const root = rootOf(trees.source)
  const hips = rootOf(trees.target)
  // Bodies of different size travel differently far: the camera keeps with the middle between them.
  stage.setFollowed(() => {
    const source = stage.source('source')
    if (!figure || !source) return null
    const at = figure.joints[hips / 3].getWorldPosition(figure.object.position.clone())
    at.x = (at.x + source.positions[root] + stage.placeOf('source').x) / 2
    at.z = (at.z + source.positions[root + 2]) / 2
    return at
  })
  if (!look) return
  const at = figure ? figure.boneLines.positions.slice(hips, hips + 3) : [0, 0, 0]
  const source = stage.source('source')?.positions.slice(root, root + 3) ?? at
  const middle = [(at[0] + source[0] + stage.placeOf('source').x) / 2, (at[2] + source[2]) / 2]
  const width = (beside ? apart * 2 + Math.max(1.5, wide) : Math.max(1.8, wide)) + drift(pose)
  stage.frameBox(middle[0], middle[1], width, Math.max(tall, top(pose)) * 1.14, VIEW, 7)
}

/**
 * Stand everything on the stage that the view shows: the two in the clip, in their stances to the left of it, or
 * both.
 */
export function setUp(pose: Pose, look: boolean, view: View) {
  const { stage, beside } = pose
  if (view === 'Motion' || !stage.figure(KEYS.target)) return stand(pose, look)
  const tall = Math.max(pose.heights.source, pose.heights.target)
  // Arms may be held out to both sides: a body's span is its height.
  const span = tall * (beside ? 2.1 : 1.05)
  const wide =
    view === 'Stance' ? 0 : (beside ? tall * 0.75 : 0) + Math.max(tall * 0.75, Math.min(breadth(pose), tall * 1.6))
  const aside = beside ? tall * 0.52 : 0
  stage.moveTo(KEYS.target, -wide / 2 + aside, 0)
  stage.moveTo(KEYS.source, -wide / 2 - aside, 0)
  stage.setFollowed(null)
  stage.floor.compassAt(-wide / 2, 0.5 * tall)
  inPlace(pose, besideStances(pose))
  if (look)
    stage.frameBox(0, 0, (span + wide) * 0.98, Math.max(tall, top(pose)) * 1.24, view === 'Stance' ? 12 : VIEW, 7)
}
/** Keep the two of the clip where they are looked at, beside their stances, however far they come. x: where. */
export function inPlace({ stage, trees, heights, beside }: Pose, x: number) {
  const aside = beside ? Math.max(heights.source, heights.target) * 0.36 : 0
  const source = stage.source('source')
  const figure = stage.figure('character')
  if (source) {
    const root = rootOf(trees.source)
    stage.moveTo('source', x - aside - source.positions[root], -source.positions[root + 2])
  }
  if (figure) {
    const root = rootOf(trees.target)
    const at = figure.object.position
    stage.moveTo(
      'character',
      x + aside - (figure.boneLines.positions[root] - at.x),
      at.z - figure.boneLines.positions[root + 2],
    )
  }
}
/** Where the clip is looked at beside the stances. */
export const besideStances = ({ heights, beside }: Pose) =>
  (Math.max(heights.source, heights.target) * (beside ? 2.1 : 1.05)) / 2

/**
 * Bring one group of both bodies next to each other and look at it closely. False where a group has nothing to look
 * at.
 */
export function closeUp(pose: Pose, group: Group): boolean {
  const { stage, fitting, trees } = pose
  if (group === 'Body' || group === 'All' || group === 'Extras') return false
  const parts = fitting.parts.filter(
    (part) => groupOf(part.limb, fitting.parts) === group || part.name === group.toLowerCase(),
  )
  stand(pose, false)
  const positions = {
    source: stage.source('source')?.positions,
    target: stage.figure('character')?.boneLines.positions,
  }
  // A head is larger than the bones in it.
  const least = (group === 'Head' ? 0.1 : 0.04) * Math.max(pose.heights.source, pose.heights.target)
  const [a, b] = (['source', 'target'] as const).map((which) => {
    const values = positions[which]
    const joints = parts
      .flatMap((part) => part[which])
      .map((name) => trees[which].names.indexOf(name))
      .filter((joint) => joint >= 0)
    if (!values || !joints.length) return null
    const points = joints.map((joint) => Array.from(values.subarray(joint * 3, joint * 3 + 3)))
    const middle = [0, 1, 2].map(
      (axis) => (Math.min(...points.map((p) => p[axis])) + Math.max(...points.map((p) => p[axis]))) / 2,
    )
    return {
      middle,
      radius: Math.max(least, ...points.map((p) => Math.hypot(p[0] - middle[0], p[1] - middle[1], p[2] - middle[2]))),
    }
  })
  if (!a || !b) return false
  const radius = Math.max(a.radius, b.radius) * 1.25
  // Both come to stand beside the middle between them, so that they fill the picture.
  const stands = stage.placeOf('character')
  const goal = [(a.middle[0] + b.middle[0]) / 2, (a.middle[2] + b.middle[2]) / 2]
  stage.moveTo('source', goal[0] - radius - a.middle[0], goal[1] - a.middle[2])
  stage.moveTo('character', stands.x + goal[0] + radius - b.middle[0], stands.z + goal[1] - b.middle[2])
  stage.setFollowed(null)
  const apart = Math.abs(a.middle[1] - b.middle[1]) / 2
  stage.frameBall(goal[0], (a.middle[1] + b.middle[1]) / 2, goal[1], Math.max(radius * 1.7, radius + apart))
  return true
}

/** The frame in which the source is furthest from how it stands at first: where a wrong pair is seen best. */
export function busiest(
  { frames, points, values }: { frames: number; points: number; values: Float32Array },
  tree: Bones,
): number {
  const root = rootOf(tree)
  let best = 0
  let most = -1
  for (let at = 0; at < frames; at++) {
    const own = at * points * 3
    let far = 0
    for (let n = 0; n < points * 3; n++)
      far += Math.abs(values[own + n] - values[own + root + (n % 3)] - (values[n] - values[root + (n % 3)]))
    if (far > most) [best, most] = [at, far]
  }
  return best
}
