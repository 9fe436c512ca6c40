import { Color, PCFShadowMap, WebGLRenderer } from 'three'

const MISSING =
  'This browser draws nothing in three dimensions: WebGL is switched off or missing. Names, numbers and plates are here all the same.'
const LOST = 'The figures are gone from the graphics card’s memory; they come back by themselves.'

/** What draws on a canvas; null where the browser cannot, which is said on it. full: with shadows and smooth edges. */
export function rendererOn(canvas: HTMLCanvasElement, full: boolean): WebGLRenderer | null {
  const context = canvas.getContext('webgl2', { alpha: true, antialias: full, preserveDrawingBuffer: true })
  if (!context) {
    note(canvas, MISSING)
    return null
  }
  const renderer = new WebGLRenderer({ canvas, context })
  renderer.setPixelRatio(Math.min(devicePixelRatio, full ? 2 : 1))
  renderer.shadowMap.enabled = full
  renderer.shadowMap.type = PCFShadowMap
  renderer.setClearColor(new Color(0), 0)
  return renderer
}

/** Say on the canvas when its drawings are lost, and have them drawn again once they can be. Returns what ends it. */
export function watchContext(canvas: HTMLCanvasElement, drawAgain: () => void): () => void {
  const lost = () => note(canvas, LOST)
  const restored = () => {
    unsay(canvas)
    drawAgain()
  }
  canvas.addEventListener('webglcontextlost', lost)
  canvas.addEventListener('webglcontextrestored', restored)
  return () => {
    canvas.removeEventListener('webglcontextlost', lost)
    canvas.removeEventListener('webglcontextrestored', restored)
    unsay(canvas)
  }
}

const noteOf = (canvas: HTMLCanvasElement) => canvas.parentElement?.querySelector<HTMLElement>(':scope > .stage-note')
function note(canvas: HTMLCanvasElement, text: string) {
  const said = noteOf(canvas) ?? document.createElement('p')
  said.className = 'stage-note'
  said.setAttribute('role', 'status')
  said.textContent = text
  canvas.after(said)
}
const unsay = (canvas: HTMLCanvasElement) => noteOf(canvas)?.remove()
