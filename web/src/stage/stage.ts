import {
  DirectionalLight,
  HemisphereLight,
  type Object3D,
  PerspectiveCamera,
  type Ray,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  type WebGLRenderer,
} from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'

import { drawing } from './drawing'
import { rendererOn, watchContext } from './renderer'
import type { RollMarkers } from './rollMarkers'
import type { Figure } from './figure'
import { Floor } from './floor'
import { keepUp } from './following'
import type { Positions } from './motion'
import { palette, type Palette } from './palette'
import { followPointerButtons } from './pointerButtons'
import { BoneLines } from './boneLines'

/** A source on the stage: a skeleton drawn as boneLines from world positions. */
interface Source {
  boneLines: BoneLines
  positions: Positions | null
}

const pointer = new Vector2()
const point = new Vector3()
const PLAYED = 100 // milliseconds from a frame to the next, at most, where motion is played

/**
 * The stage: one canvas, one camera, one floor; figures and sources stand on it and take the pose of the frame that
 * is set. It draws when something has changed and not otherwise.
 */
export class Stage {
  readonly palette: Palette
  readonly camera = new PerspectiveCamera(30, 1, 0.05, 100)
  readonly controls: OrbitControls
  readonly floor: Floor
  private readonly renderer: WebGLRenderer | null
  private readonly unwatch: () => void
  private readonly unfollow: () => void
  private readonly scene = new Scene()
  private readonly sun = new DirectionalLight(0xfff4e0, 2.2)
  private readonly figures = new Map<string, Figure>()
  private readonly sources = new Map<string, Source>()
  private readonly watcher: ResizeObserver
  private readonly resized = new Set<() => void>()
  private readonly rays = new Raycaster()
  private readonly rollMarkers = new Map<string, { rollMarkers: RollMarkers; marks: () => Float32Array | null }>()
  private request = 0
  private changed = false
  private framedAt = -Infinity
  private followed: (() => Vector3 | null) | null = null
  private readonly last = new Vector3()
  frame = 0
  private readonly listeners = new Set<() => void>()

  constructor(private readonly canvas: HTMLCanvasElement) {
    const full = drawing() === 'full'
    this.palette = palette(canvas)
    this.renderer = rendererOn(canvas, full)
    this.unwatch = watchContext(canvas, () => this.draw())
    this.sun.castShadow = full
    this.sun.shadow.mapSize.set(1024, 1024)
    this.sun.shadow.radius = 5
    this.sun.shadow.bias = -0.0004
    this.sun.shadow.normalBias = 0.02
    Object.assign(this.sun.shadow.camera, { left: -4, right: 4, top: 4, bottom: -4, near: 0.5, far: 16 })
    this.floor = new Floor(this.palette)
    this.scene.add(new HemisphereLight(0xffffff, 0xd8cdb8, 1.75), this.sun, this.sun.target, this.floor.object)
    this.controls = new OrbitControls(this.camera, canvas)
    this.unfollow = followPointerButtons(this.controls)
    this.controls.maxPolarAngle = Math.PI * 0.56
    this.controls.minDistance = 0.15
    this.controls.maxDistance = 25
    this.controls.addEventListener('change', () => this.invalidate())
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(canvas.parentElement ?? canvas)
    this.resize()
  }

  add(key: string, figure: Figure) {
    this.remove(key)
    this.figures.set(key, figure)
    this.scene.add(figure.object, figure.boneLines.object)
    figure.pose(this.frame)
    this.invalidate()
  }

  addSource(key: string, boneLines: BoneLines, positions: Positions | null) {
    this.remove(key)
    this.sources.set(key, { boneLines, positions })
    this.scene.add(boneLines.object)
    // It alone: a figure may have been given a pose that is newer than its motion.
    if (positions) boneLines.pose(positions, this.frame)
    this.follow()
    this.invalidate()
  }

  /** Put something on the stage that takes no poses; whoever adds it removes and disposes of it. */
  addObject(object: Object3D) {
    this.scene.add(object)
    this.invalidate()
  }

  /** RollMarkers on the bones of a figure or source. marks: where its bones bend to in the frame that is shown. */
  addRollMarkers(key: string, rollMarkers: RollMarkers, marks: () => Float32Array | null) {
    this.removeFeathers(key)
    this.rollMarkers.set(key, { rollMarkers, marks })
    this.scene.add(rollMarkers.object)
    this.invalidate()
  }

  removeFeathers(key: string) {
    this.rollMarkers.get(key)?.rollMarkers.dispose()
    this.rollMarkers.delete(key)
    this.invalidate()
  }

  /** Show a figure or source, or hide it. */
  reveal(key: string, visible: boolean) {
    const figure = this.figures.get(key)
    if (figure) figure.object.visible = visible
    const source = this.sources.get(key)
    if (source) source.boneLines.object.visible = visible
    if (figure && !visible) figure.boneLines.object.visible = false
    this.invalidate()
  }

  remove(key: string) {
    this.removeFeathers(key)
    this.figures.get(key)?.dispose()
    this.sources.get(key)?.boneLines.dispose()
    this.figures.delete(key)
    this.sources.delete(key)
    this.invalidate()
  }

  clear() {
    for (const key of [...this.figures.keys(), ...this.sources.keys(), ...this.rollMarkers.keys()]) this.remove(key)
  }

  figure(key: string) {
    return this.figures.get(key)
  }

  source(key: string) {
    return this.sources.get(key)?.boneLines
  }

  /** Put a figure or source at a place on the floor. */
  moveTo(key: string, x: number, z: number) {
    const object = this.figures.get(key)?.object ?? this.sources.get(key)?.boneLines.object
    object?.position.set(x, 0, z)
    this.figures.get(key)?.update()
    this.invalidate()
  }

  /** Put a figure or source at a place on the floor, turned about up by so many radians. */
  place(key: string, x: number, z: number, turn: number) {
    const object = this.figures.get(key)?.object ?? this.sources.get(key)?.boneLines.object
    object?.rotation.set(0, turn, 0)
    object?.updateMatrix()
    this.moveTo(key, x, z)
    this.follow()
  }

  placeOf(key: string): { x: number; z: number } {
    const object = this.figures.get(key)?.object ?? this.sources.get(key)?.boneLines.object
    return { x: object?.position.x ?? 0, z: object?.position.z ?? 0 }
  }

  setFrame(frame: number) {
    this.frame = frame
    for (const figure of this.figures.values()) figure.pose(frame)
    for (const { boneLines, positions } of this.sources.values()) if (positions) boneLines.pose(positions, frame)
    this.follow()
    this.framedAt = performance.now()
    this.invalidate()
  }

  /** Keep the camera with a point that moves over the ground, or let it stand. */
  setFollowed(where: (() => Vector3 | null) | null) {
    this.followed = where
    const now = where?.()
    if (now) this.last.copy(now)
  }

  private follow() {
    const now = this.followed?.()
    if (!now) return
    keepUp(this.camera.position, this.controls.target, this.last, now)
    this.last.copy(now)
    this.controls.update()
  }

  /** Look at a box of the given width and height whose middle stands at (x, z), from a direction in degrees. */
  frameBox(x: number, z: number, width: number, height: number, from = 18, raised = 8, aim = 0.44) {
    const half = Math.tan((this.camera.fov * Math.PI) / 360)
    const far = Math.max(height / 2 / half, width / 2 / half / this.camera.aspect) * 1.12
    this.lookAt(x, height * aim, z, far, from, raised)
  }

  /** Look at a sphere about a point. */
  frameBall(x: number, y: number, z: number, radius: number, from = 18, raised = 12) {
    const half = Math.tan((this.camera.fov * Math.PI) / 360)
    this.lookAt(x, y, z, (radius / half) * Math.max(1, 1 / this.camera.aspect) * 1.15, from, raised)
  }

  /** Look from another side, at the same point from as far. In degrees about up and above the ground. */
  turnTo(from: number, raised: number) {
    const { x, y, z } = this.controls.target
    this.lookAt(x, y, z, this.camera.position.distanceTo(this.controls.target), from, raised)
    this.controls.dispatchEvent({ type: 'end' })
  }

  private lookAt(x: number, y: number, z: number, far: number, from: number, raised: number) {
    const yaw = (from * Math.PI) / 180
    const pitch = (raised * Math.PI) / 180
    this.controls.target.set(x, y, z)
    this.camera.position.set(
      x + far * Math.sin(yaw) * Math.cos(pitch),
      y + far * Math.sin(pitch),
      z + far * Math.cos(yaw) * Math.cos(pitch),
    )
    this.controls.update()
    this.invalidate()
  }

  /** The key of the figure under a point of the window, or null. */
  figureAt(clientX: number, clientY: number): string | null {
    const box = this.canvas.getBoundingClientRect()
    pointer.set(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2)
    this.rays.setFromCamera(pointer, this.camera)
    let best: { key: string; far: number } | null = null
    for (const [key, figure] of this.figures) {
      const hit = this.rays.ray.intersectBox(figure.bounds().expandByScalar(0.03), point)
      const far = hit ? hit.distanceTo(this.camera.position) : Infinity
      if (hit && (!best || far < best.far)) best = { key, far }
    }
    return best?.key ?? null
  }

  /** The rings within some pixels of a point of the window, nearest first: of whom, and which joint. */
  ringsAt(clientX: number, clientY: number, within = 11): { key: string; joint: number; far: number }[] {
    const box = this.canvas.getBoundingClientRect()
    const out: { key: string; joint: number; far: number }[] = []
    const look = (key: string, boneLines: BoneLines, x: number, z: number) => {
      if (!boneLines.object.visible) return
      for (let joint = 0; joint < boneLines.tree.rings; joint++) {
        point.fromArray(boneLines.positions, joint * 3)
        point.x += x
        point.z += z
        point.project(this.camera)
        if (point.z > 1) continue
        const far = Math.hypot(
          box.left + ((point.x + 1) / 2) * box.width - clientX,
          box.top + ((1 - point.y) / 2) * box.height - clientY,
        )
        if (far <= within) out.push({ key, joint, far })
      }
    }
    for (const [key, figure] of this.figures) look(key, figure.boneLines, 0, 0)
    for (const [key, { boneLines }] of this.sources)
      look(key, boneLines, boneLines.object.position.x, boneLines.object.position.z)
    return out.sort((a, b) => a.far - b.far)
  }

  /** Where a joint's ring is drawn in the window, for whoever wants to point at it. */
  ringAt(key: string, joint: number): { x: number; y: number } {
    const at = this.positions()[key][joint]
    const box = this.canvas.getBoundingClientRect()
    const { x, y } = this.project({ x: at[0], y: at[1], z: at[2] })
    return { x: box.left + x, y: box.top + y }
  }

  /** The line of sight through a point of the window: where it begins and its direction. */
  ray(clientX: number, clientY: number): Ray {
    const box = this.canvas.getBoundingClientRect()
    pointer.set(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2)
    this.rays.setFromCamera(pointer, this.camera)
    return this.rays.ray.clone()
  }

  /** Where a world point lies in the canvas, in CSS pixels. */
  project({ x, y, z }: { x: number; y: number; z: number }): { x: number; y: number; ahead: boolean } {
    point.set(x, y, z).project(this.camera)
    const box = this.canvas.getBoundingClientRect()
    return { x: ((point.x + 1) / 2) * box.width, y: ((1 - point.y) / 2) * box.height, ahead: point.z < 1 }
  }

  /** Call something after every drawing, as overlays place themselves then. Returns what ends it. */
  afterDrawing(listener: () => void): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  /** Call something whenever the stage has another size. */
  afterResizing(listener: () => void) {
    this.resized.add(listener)
  }

  /** Draw with the next beat of the screen. */
  invalidate() {
    this.changed = true
    if (!this.request) this.request = requestAnimationFrame(this.beat)
  }

  /**
   * It is asked for the next at once until nothing changes: while motion is played, each frame is set in a beat before
   * this is called in it, and so drawn in the same one. A beat that is asked for after a frame draws the next instead.
   */
  private readonly beat = (now: number) => {
    this.request = 0
    if (this.changed) this.draw()
    else if (now - this.framedAt > PLAYED) return
    this.request = requestAnimationFrame(this.beat)
  }

  /** Draw now. */
  draw() {
    this.changed = false
    for (const figure of this.figures.values()) if (figure.boneLines.object.visible) figure.boneLines.draw(this.camera)
    for (const { boneLines } of this.sources.values()) if (boneLines.object.visible) boneLines.draw(this.camera)
    for (const [key, { rollMarkers, marks }] of this.rollMarkers) {
      const figure = this.figures.get(key)
      const boneLines = figure?.boneLines ?? this.sources.get(key)?.boneLines
      const values = marks()
      rollMarkers.object.visible =
        !!values && !!boneLines && (figure ? figure.object.visible : boneLines.object.visible)
      if (!values || !boneLines || !rollMarkers.object.visible) continue
      rollMarkers.object.position.copy(boneLines.object.position)
      rollMarkers.place(boneLines.positions, values)
    }
    const centre = this.controls.target
    this.floor.centre(centre.x, centre.z)
    this.sun.position.set(centre.x + 2.2, 5.5, centre.z + 2.6)
    this.sun.target.position.set(centre.x, 0, centre.z)
    this.renderer?.render(this.scene, this.camera)
    for (const listener of this.listeners) listener()
  }

  private resize() {
    const box = (this.canvas.parentElement ?? this.canvas).getBoundingClientRect()
    if (!box.width || !box.height) return
    this.renderer?.setSize(box.width, box.height, false)
    this.camera.aspect = box.width / box.height
    this.camera.updateProjectionMatrix()
    this.draw()
    for (const listener of this.resized) listener()
  }

  /** World positions of every figure's and source's joints as they stand now, for tests and measuring by hand. */
  positions(): Record<string, number[][]> {
    const out: Record<string, number[][]> = {}
    for (const [key, figure] of this.figures) out[key] = figure.worldPositions()
    for (const [key, { boneLines }] of this.sources) {
      const { x, z } = boneLines.object.position
      out[key] = Array.from({ length: boneLines.tree.rings }, (_, n) => [
        boneLines.positions[n * 3] + x,
        boneLines.positions[n * 3 + 1],
        boneLines.positions[n * 3 + 2] + z,
      ])
    }
    return out
  }

  dispose() {
    cancelAnimationFrame(this.request)
    this.watcher.disconnect()
    this.clear()
    this.floor.dispose()
    this.unfollow()
    this.controls.dispose()
    this.renderer?.dispose()
    this.unwatch()
  }
}

declare global {
  interface Window {
    /** shown: the revision of the fitting that the figure shows. */
    armuto?: { stage?: Stage; shown?: number }
  }
}

/** The stage on a canvas. It can be reached as window.armuto.stage from the browser's console. */
export function openStage(canvas: HTMLCanvasElement): Stage {
  const stage = new Stage(canvas)
  window.armuto = { stage }
  return stage
}
