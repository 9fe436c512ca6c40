/** The page of the receiver: what three.js makes of a delivered archive, played, and held against its manifest. */
import {
  Box3,
  Color,
  DirectionalLight,
  GridHelper,
  HemisphereLight,
  PerspectiveCamera,
  Scene,
  SkeletonHelper,
  Vector3,
  WebGLRenderer,
} from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { check, play, READ, unpack } from './archive.js'

const element = (id) => document.getElementById(id)
const [canvas, time, button] = [element('canvas'), element('time'), element('play')]
const scene = new Scene()
scene.background = new Color(0xeef2ef)
const sun = new DirectionalLight(0xffffff, 1.8)
sun.position.set(2, 4, 3)
scene.add(new HemisphereLight(0xffffff, 0xb8c4bd, 2), sun, new GridHelper(20, 20, 0x8fa39a, 0xc8d4cd))
const camera = new PerspectiveCamera(40, 1, 0.01, 500)
const controls = new OrbitControls(camera, canvas)
let renderer = null
try {
  renderer = new WebGLRenderer({ canvas, antialias: true })
} catch {
  element('problem').textContent = 'This browser draws nothing in 3D; places are compared all the same.'
}

let archive = null
/** What is shown: a result, what was read of it, and how its animation is played. */
let shown = null
let playing = false
let before = 0
/** Counts archives and results that were asked for: what comes late belongs to none. */
let asked = 0

function draw() {
  if (!renderer) return
  const { clientWidth: width, clientHeight: height } = canvas
  const { width: held, height: tall } = canvas
  const ratio = Math.min(devicePixelRatio, 2)
  if (held !== Math.floor(width * ratio) || tall !== Math.floor(height * ratio)) {
    renderer.setPixelRatio(ratio)
    renderer.setSize(width, height, false)
    camera.aspect = width / Math.max(height, 1)
    camera.updateProjectionMatrix()
  }
  renderer.render(scene, camera)
}
controls.addEventListener('change', draw)
new ResizeObserver(draw).observe(canvas)

function goTo(seconds) {
  if (!shown) return
  time.value = seconds
  shown.motion.go(seconds)
  element('seconds').textContent = `${seconds.toFixed(2)} s`
  draw()
}
function tick(now) {
  if (!playing) return
  const on = Number(time.value) + (now - before) / 1000
  before = now
  goTo(shown.motion.seconds ? on % shown.motion.seconds : 0)
  requestAnimationFrame(tick)
}
function setPlaying(on) {
  playing = on && Boolean(shown)
  button.textContent = playing ? 'Stop' : 'Play'
  before = performance.now()
  if (playing) requestAnimationFrame(tick)
}
button.addEventListener('click', () => setPlaying(!playing))
time.addEventListener('input', () => (setPlaying(false), goTo(Number(time.value))))
canvas.addEventListener('keydown', (event) => {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (event.key === ' ') setPlaying(!playing)
  else if (!by || !shown) return
  else goTo(Math.min(shown.motion.seconds, Math.max(0, Number(time.value) + by / (shown.result.fps || 30))))
  event.preventDefault()
})

function clear() {
  setPlaying(false)
  if (shown) scene.remove(...shown.objects)
  shown = null
  element('problem').textContent = ''
  element('places').tBodies[0].replaceChildren()
  element('places').hidden = true
  time.disabled = button.disabled = true
  draw()
}
// Nothing below nought is shown as “-0.0000”.
const place = (at) => at.map((value) => (Math.round(value * 1e4) / 1e4 + 0).toFixed(4)).join('  ')

/** One result of the archive: read once more, played, and its places listed. */
async function show(number) {
  const mine = ++asked
  const result = archive.manifest.results[number]
  for (const [n, row] of [...element('results').querySelectorAll('button')].entries())
    row.setAttribute('aria-current', String(n === number))
  clear()
  let found
  try {
    found = await check(result, archive.files, archive.manifest.wanted?.unit)
  } catch (problem) {
    if (mine === asked) element('problem').textContent = problem.message
    return
  }
  if (mine !== asked) return
  if (!found.motion) {
    element('problem').textContent = `${result.file}: three.js reads no motion of this format, only ${READ.join(', ')}.`
    return
  }
  const { root } = found.motion
  const objects = [root, new SkeletonHelper(root)]
  scene.add(...objects)
  shown = { result, objects, motion: play(found.motion, result.clip) }
  shown.motion.go(0)
  const box = new Box3().setFromObject(root)
  if (box.isEmpty()) root.traverse((node) => box.expandByPoint(node.getWorldPosition(new Vector3())))
  const size = Math.max(...box.getSize(new Vector3()).toArray(), 0.1)
  controls.target.copy(box.getCenter(new Vector3()))
  camera.position.copy(controls.target).add(new Vector3(0.7, 0.35, 1.5).multiplyScalar(size))
  camera.near = size / 100
  camera.far = size * 100
  camera.updateProjectionMatrix()
  controls.update()
  time.max = shown.motion.seconds
  time.disabled = button.disabled = false
  element('places').hidden = !found.rows.length
  element('places').tBodies[0].replaceChildren(
    ...found.rows.map(({ joint, frame, at, read, off }) => {
      const row = document.createElement('tr')
      const cells = [
        joint,
        frame,
        place(at),
        read ? place(read) : 'is not there',
        read ? `${(off * 1000).toFixed(3)} mm` : '',
      ]
      row.append(...cells.map((text) => Object.assign(document.createElement('td'), { textContent: text })))
      return row
    }),
  )
  goTo(0)
}

/** A verdict on every result, one after another. */
async function look(bytes, name) {
  const mine = ++asked
  clear()
  element('results').replaceChildren()
  archive = unpack(bytes)
  const { manifest, files } = archive
  element('title').textContent = `“${manifest.name ?? name}” as the receiver sees it`
  const rows = manifest.results.map((result, number) => {
    const row = document.createElement('button')
    row.type = 'button'
    const title = Object.assign(document.createElement('span'), { textContent: result.file })
    const verdict = Object.assign(document.createElement('span'), { className: 'verdict', textContent: result.clip })
    row.append(title, verdict)
    row.addEventListener('click', () => void show(number))
    const item = document.createElement('li')
    item.append(row)
    element('results').append(item)
    return verdict
  })
  let [same, wrong, unread] = [0, 0, 0]
  for (const [number, result] of manifest.results.entries()) {
    const verdict = rows[number]
    try {
      const { rows: places, motion, tolerance } = await check(result, files, manifest.wanted?.unit)
      const worst = Math.max(0, ...places.map(({ off }) => off))
      if (!motion) verdict.textContent = ((unread += 1), 'not read by three.js')
      else if (!places.length) verdict.textContent = ((unread += 1), 'plays; the manifest says no places')
      else if (worst <= tolerance)
        verdict.textContent = ((same += 1), `as it was meant, within ${(worst * 1000).toFixed(3)} mm`)
      else {
        wrong += 1
        verdict.classList.add('wrong')
        verdict.textContent = worst === Infinity ? 'a joint is missing' : `off by ${(worst * 1000).toFixed(1)} mm`
      }
    } catch (problem) {
      wrong += 1
      verdict.classList.add('wrong')
      verdict.textContent = problem.message
    }
    element('state').textContent = `Looking at ${number + 1} of ${rows.length} …`
    if (archive.manifest !== manifest) return // another archive was opened meanwhile
  }
  element('state').textContent = [
    `${same} of ${rows.length} are as they were meant`,
    wrong && `${wrong} differ`,
    unread && `${unread} cannot be told`,
  ]
    .filter(Boolean)
    .join(', ')
  if (mine === asked && rows.length) await show(0)
}

async function open(bytes, name) {
  try {
    await look(new Uint8Array(await bytes), name)
  } catch (problem) {
    element('state').textContent = problem.message
  }
}
document.querySelector('#open input').addEventListener('change', ({ target }) => {
  const [file] = target.files
  if (file) void open(file.arrayBuffer(), file.name)
  target.value = ''
})

const address = new URLSearchParams(location.search).get('archive')
// Only of this studio: a page from elsewhere may not be made to fetch for somebody.
if (address?.startsWith('/api/')) {
  element('state').textContent = 'Fetching the archive …'
  fetch(address)
    .then((answer) => {
      if (!answer.ok) throw new Error('This delivery cannot be fetched; a result of it was made anew or is gone.')
      return open(answer.arrayBuffer(), 'delivery')
    })
    .catch((problem) => (element('state').textContent = problem.message))
}
