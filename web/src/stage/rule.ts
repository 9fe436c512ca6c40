import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
} from 'three'

import { lengthNumber, lengthUnit } from '@/shared/units'
import type { Palette } from './palette'

/** A height rule behind a line-up: a line every ten centimetres or four inches, every fifth of them with its number. */
export class HeightRule {
  readonly object = new Group()

  constructor(palette: Palette, left: number, right: number, z: number, top: number) {
    const step = lengthUnit.value === 'inch' ? 4 * 0.0254 : 0.1
    const steps = Math.ceil(top / step)
    const strong: number[] = []
    const fine: number[] = []
    for (let n = 1; n <= steps; n++) {
      const y = n * step
      const whole = n % 5 === 0
      ;(whole ? strong : fine).push(whole ? left : left, y, z, whole ? right : left + 0.09, y, z)
      if (whole) this.object.add(label(`${+lengthNumber(y)}`, left - 0.15, y, z, palette))
    }
    strong.push(left, 0, z, left, steps * step, z)
    this.add(strong, 0.9, palette)
    this.add(fine, 0.9, palette)
  }

  private add(points: number[], opacity: number, palette: Palette) {
    const geometry = new BufferGeometry().setAttribute('position', new Float32BufferAttribute(points, 3))
    this.object.add(
      new LineSegments(geometry, new LineBasicMaterial({ color: palette.hairline, opacity, transparent: true })),
    )
  }

  dispose() {
    this.object.traverse((node) => {
      if (node instanceof LineSegments) {
        node.geometry.dispose()
        ;(node.material as LineBasicMaterial).dispose()
      } else if (node instanceof Sprite) {
        node.material.map?.dispose()
        node.material.dispose()
      }
    })
    this.object.removeFromParent()
  }
}

function label(text: string, x: number, y: number, z: number, palette: Palette): Sprite {
  const canvas = document.createElement('canvas')
  canvas.width = 128
  canvas.height = 64
  const pen = canvas.getContext('2d')!
  pen.font = '40px "Atkinson Hyperlegible Mono", monospace'
  pen.textAlign = 'right'
  pen.textBaseline = 'middle'
  pen.fillStyle = `#${palette.ink.getHexString()}`
  pen.globalAlpha = 0.75
  pen.fillText(text, 124, 32)
  const map = new CanvasTexture(canvas)
  map.colorSpace = SRGBColorSpace
  const sprite = new Sprite(new SpriteMaterial({ map, transparent: true, depthWrite: false, toneMapped: false }))
  sprite.scale.set(0.24, 0.12, 1)
  sprite.position.set(x, y, z)
  return sprite
}
