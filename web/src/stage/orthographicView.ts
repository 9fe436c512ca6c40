import {
  DirectionalLight,
  HemisphereLight,
  type Object3D,
  OrthographicCamera,
  Scene,
  Vector3,
  type WebGLRenderer,
} from 'three'

import { drawing } from './drawing'
import { rendererOn, watchContext } from './renderer'

const LEAST = 0.04 // metres that are seen from top to bottom where one looks closest
const MOST = 40
const AWAY = 100 // metres from the camera to what it looks at, which does not matter to what is seen

/** A body seen from one side without perspective, so that lengths are the same wherever they are drawn. */
export class OrthographicView {
  readonly centre = new Vector3(0, 1, 0)
  /** Metres from the lower edge to the upper one. */
  span = 2
  width = 1
  height = 1
  /** Metres before and behind the centre beyond which nothing is seen; null for everything. */
  depth: number | null = null
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, 0.01, 200)
  private readonly scene = new Scene()
  private readonly sun = new DirectionalLight(0xfff4e0, 1.6)
  private readonly renderer: WebGLRenderer | null
  private readonly unwatch: () => void
  private readonly watcher: ResizeObserver
  private readonly from = new Vector3(0, 0, 1)
  private readonly right = new Vector3(1, 0, 0)
  private readonly up = new Vector3(0, 1, 0)
  private request = 0

  /** changed: called whenever what is seen lies elsewhere. */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly changed: () => void,
  ) {
    this.renderer = rendererOn(canvas, drawing() === 'full')
    if (this.renderer) this.renderer.shadowMap.enabled = false
    this.unwatch = watchContext(canvas, () => this.invalidate())
    this.scene.add(new HemisphereLight(0xffffff, 0xd8cdb8, 2), this.sun, this.sun.target)
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(canvas.parentElement ?? canvas)
    this.resize()
  }

  add(object: Object3D) {
    this.scene.add(object)
    this.invalidate()
  }

  remove(object: Object3D) {
    this.scene.remove(object)
    this.invalidate()
  }

  /** Look from a direction, with another one up that is square to it. */
  lookFrom(from: Vector3, up: Vector3) {
    this.from.copy(from).normalize()
    this.up.copy(up).normalize()
    this.right.crossVectors(this.up, this.from).normalize()
    this.invalidate()
  }

  /** Show so many metres about a point, in height and in width. */
  frame(centre: Vector3, tall: number, wide: number) {
    this.centre.copy(centre)
    this.span = Math.max(tall, (wide * this.height) / Math.max(this.width, 1), LEAST) * 1.08
    this.invalidate()
  }

  /** CSS pixels to a metre. */
  get scale() {
    return this.height / this.span
  }

  /** Where a point lies in the canvas, in CSS pixels. */
  project(point: Vector3): { x: number; y: number } {
    const off = point.clone().sub(this.centre)
    return {
      x: this.width / 2 + off.dot(this.right) * this.scale,
      y: this.height / 2 - off.dot(this.up) * this.scale,
    }
  }

  /** A point moved by so many pixels to the right and down; how deep it lies stays. */
  moved(point: Vector3, right: number, down: number): Vector3 {
    return point
      .clone()
      .addScaledVector(this.right, right / this.scale)
      .addScaledVector(this.up, -down / this.scale)
  }

  /** By so many pixels to the right and down. */
  pan(right: number, down: number) {
    this.centre.copy(this.moved(this.centre, -right, -down))
    this.invalidate()
  }

  /** Closer, where share is less than one, about a pixel that stays where it is. */
  zoom(share: number, x: number, y: number) {
    const span = Math.min(MOST, Math.max(LEAST, this.span * share))
    const [right, down] = [x - this.width / 2, y - this.height / 2]
    this.centre.copy(this.moved(this.centre, right, down))
    this.span = span
    this.centre.copy(this.moved(this.centre, -right, -down))
    this.invalidate()
  }

  invalidate() {
    this.changed()
    this.request ||= requestAnimationFrame(() => {
      this.request = 0
      this.draw()
    })
  }

  private draw() {
    const [half, wide] = [this.span / 2, ((this.span / 2) * this.width) / Math.max(this.height, 1)]
    const [near, far] = this.depth === null ? [0.01, 2 * AWAY] : [AWAY - this.depth, AWAY + this.depth]
    Object.assign(this.camera, { left: -wide, right: wide, top: half, bottom: -half, near, far })
    this.camera.updateProjectionMatrix()
    this.camera.position.copy(this.centre).addScaledVector(this.from, AWAY)
    this.camera.up.copy(this.up)
    this.camera.lookAt(this.centre)
    this.sun.position.copy(this.camera.position).addScaledVector(this.up, 60).addScaledVector(this.right, 40)
    this.sun.target.position.copy(this.centre)
    this.sun.target.updateMatrixWorld()
    this.renderer?.render(this.scene, this.camera)
  }

  private resize() {
    const box = (this.canvas.parentElement ?? this.canvas).getBoundingClientRect()
    if (!box.width || !box.height) return
    this.width = box.width
    this.height = box.height
    this.renderer?.setSize(box.width, box.height, false)
    this.invalidate()
  }

  dispose() {
    cancelAnimationFrame(this.request)
    this.watcher.disconnect()
    this.renderer?.dispose()
    this.unwatch()
  }
}
