import {
  CanvasTexture,
  CircleGeometry,
  Color,
  Group,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  ShaderMaterial,
  ShadowMaterial,
  SRGBColorSpace,
} from 'three'

import { drawing } from './drawing'
import type { Palette } from './palette'

/** Plain paper with a fine ruling that fades out, and a compass mark that says which way is forward (+Z). */
export class Floor {
  readonly object = new Group()
  private readonly ruling: Mesh<CircleGeometry, ShaderMaterial>
  private readonly shade: Mesh<CircleGeometry, ShadowMaterial>
  private readonly compass: Mesh<PlaneGeometry, MeshBasicMaterial>

  constructor(palette: Palette, reach = 6) {
    this.ruling = new Mesh(
      new CircleGeometry(reach, 64).rotateX(-Math.PI / 2),
      new ShaderMaterial({
        transparent: true,
        depthWrite: false,
        uniforms: { colour: { value: palette.hairline }, ink: { value: palette.ink }, reach: { value: reach } },
        vertexShader: `
          varying vec3 world; varying vec2 local;
          void main() {
            vec4 w = modelMatrix * vec4(position, 1.0);
            world = w.xyz; local = position.xz;
            gl_Position = projectionMatrix * viewMatrix * w;
          }`,
        fragmentShader: `
          uniform vec3 colour; uniform vec3 ink; uniform float reach;
          varying vec3 world; varying vec2 local;
          float line(float step, float width) {
            vec2 g = abs(fract(world.xz / step - 0.5) - 0.5) * step;
            vec2 w = fwidth(world.xz) * width;
            vec2 l = 1.0 - smoothstep(w * 0.5, w * 1.5, g);
            // Where lines come closer than pixels they fade instead of shimmering.
            float crowd = 1.0 - smoothstep(0.2, 0.6, max(fwidth(world.x), fwidth(world.z)) / step);
            return max(l.x, l.y) * crowd;
          }
          void main() {
            float fade = 1.0 - smoothstep(0.25, 1.0, length(local) / reach);
            float fine = line(0.1, 0.6) * 0.4;
            float metre = line(1.0, 0.8);
            float strength = max(fine, metre * 0.95) * fade;
            gl_FragColor = vec4(mix(colour, ink, metre * 0.08), strength);
            #include <colorspace_fragment>
          }`,
      }),
    )
    this.shade = new Mesh(new CircleGeometry(reach, 48).rotateX(-Math.PI / 2), new ShadowMaterial({ opacity: 0.16 }))
    this.shade.receiveShadow = true
    this.shade.visible = drawing() === 'full'
    this.shade.position.y = 0.001
    this.compass = new Mesh(
      new PlaneGeometry(0.62, 0.62).rotateX(-Math.PI / 2),
      new MeshBasicMaterial({ map: compassMark(palette.ink), transparent: true, depthWrite: false, toneMapped: false }),
    )
    this.compass.position.set(0, 0.002, 0)
    this.object.add(this.ruling, this.shade, this.compass)
  }

  /** Move the patch of floor with the figures; the ruling itself stays where it is in the world. */
  centre(x: number, z: number) {
    this.ruling.position.set(x, 0, z)
    this.shade.position.set(x, 0.001, z)
  }

  /** Lay the compass down where it does not lie under a figure. */
  compassAt(x: number, z: number) {
    this.compass.position.set(x, 0.002, z)
  }

  dispose() {
    for (const mesh of [this.ruling, this.shade, this.compass]) mesh.geometry.dispose()
    this.ruling.material.dispose()
    this.shade.material.dispose()
    this.compass.material.map?.dispose()
    this.compass.material.dispose()
    this.object.removeFromParent()
  }
}

function compassMark(ink: Color): CanvasTexture {
  const size = 256
  const canvas = document.createElement('canvas')
  canvas.width = canvas.height = size
  const pen = canvas.getContext('2d')!
  pen.strokeStyle = pen.fillStyle = `#${ink.getHexString()}`
  pen.globalAlpha = 0.62
  pen.lineWidth = 3
  pen.beginPath()
  pen.arc(size / 2, size / 2, 60, 0, 2 * Math.PI)
  pen.stroke()
  for (let n = 0; n < 12; n++) {
    const angle = (n * Math.PI) / 6
    const inner = n % 3 ? 54 : 46
    pen.beginPath()
    pen.moveTo(size / 2 + inner * Math.sin(angle), size / 2 + inner * Math.cos(angle))
    pen.lineTo(size / 2 + 60 * Math.sin(angle), size / 2 + 60 * Math.cos(angle))
    pen.stroke()
  }
  // The texture's lower edge lies towards +Z.
  pen.beginPath()
  pen.moveTo(size / 2, size / 2 + 88)
  pen.lineTo(size / 2 - 9, size / 2 + 64)
  pen.lineTo(size / 2 + 9, size / 2 + 64)
  pen.fill()
  pen.font = '23px "Atkinson Hyperlegible Next", sans-serif'
  pen.textAlign = 'center'
  pen.fillText('forward', size / 2, size / 2 + 114)
  const texture = new CanvasTexture(canvas)
  texture.colorSpace = SRGBColorSpace
  texture.anisotropy = 4
  return texture
}
