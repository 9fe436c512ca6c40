/**
 * How richly the stage draws: full, or plain where pixels are computed without a graphics card (no smoothing, no
 * shadows, no ink line). What a person chooses goes before what the machine suggests.
 */
export type Drawing = 'full' | 'plain'
const KEY = 'armuto.drawing'
let suggested: Drawing | undefined

function suggest(): Drawing {
  const gl = document.createElement('canvas').getContext('webgl2')
  const about = gl?.getExtension('WEBGL_debug_renderer_info')
  const name = about ? String(gl!.getParameter(about.UNMASKED_RENDERER_WEBGL)) : ''
  gl?.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|softpipe|software|basic render/i.test(name) ? 'plain' : 'full'
}
/** What was chosen in this browser; null for as the machine can. */
export function chosenDrawing(): Drawing | null {
  const chosen = localStorage.getItem(KEY)
  return chosen === 'full' || chosen === 'plain' ? chosen : null
}
export const drawing = (): Drawing => chosenDrawing() ?? (suggested ??= suggest())
export function chooseDrawing(wanted: Drawing | null) {
  if (wanted) localStorage.setItem(KEY, wanted)
  else localStorage.removeItem(KEY)
}
