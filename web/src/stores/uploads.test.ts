import { expect, test } from 'vitest'

import { inRequests } from './uploads'

function file(path: string, size = 10): File {
  const made = new File(['x'], path.split('/').at(-1)!)
  Object.defineProperty(made, 'webkitRelativePath', { value: path.includes('/') ? path : '' })
  Object.defineProperty(made, 'size', { value: size })
  return made
}
const names = (parts: File[][]) => parts.map((part) => part.map(({ name }) => name))
const MB = 1024 * 1024

test('few at once, and not much', () => {
  const clips = Array.from({ length: 30 }, (_, n) => file(`chore ${n}.bvh`))
  expect(inRequests(clips).map((part) => part.length)).toEqual([24, 6])
  expect(names(inRequests([file('a.glb', 20 * MB), file('b.glb', 20 * MB), file('c.glb')]))).toEqual([
    ['a.glb'],
    ['b.glb', 'c.glb'],
  ])
  expect(inRequests([])).toEqual([])
})

test('what names others goes with them, however many files lie between', () => {
  const clips = Array.from({ length: 30 }, (_, n) => file(`chore ${n}.bvh`))
  const [first, ...rest] = names(inRequests([file('keeper.obj', 30 * MB), ...clips, file('keeper.mtl'), file('k.png')]))
  expect(first).toEqual(['keeper.obj', 'keeper.mtl', 'k.png'])
  expect(rest.map((part) => part.length)).toEqual([24, 6])
  expect(names(inRequests([file('hall/a.gltf'), file('yard/a.bin'), file('hall/data/a.bin'), file('b.png')]))).toEqual([
    ['a.gltf', 'a.bin'],
    ['a.bin', 'b.png'],
  ])
})

test('more than the studio takes at once goes in portions', () => {
  expect(inRequests([file('a.obj', 150 * MB), file('a.png', 100 * MB)])).toHaveLength(2)
})
