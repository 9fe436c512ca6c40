import { expect, test } from 'vitest'

import { filesOf } from './dropped'

const entry = (path: string) =>
  ({
    isFile: true,
    fullPath: path,
    file: (done: (file: File) => void) => done(new File(['motion'], path.split('/').at(-1)!)),
  }) as unknown as FileSystemEntry
/** A folder whose reader hands out a hundred at a time, as browsers' do. */
function folder(inside: FileSystemEntry[]): FileSystemEntry {
  const createReader = () => {
    let at = 0
    return { readEntries: (done: (part: FileSystemEntry[]) => void) => done(inside.slice(at, (at += 100))) }
  }
  return { isDirectory: true, createReader } as unknown as FileSystemEntry
}
/** What a drop carries: the browser lists a folder among the files too, as one that cannot be read. */
const drop = (...entries: FileSystemEntry[]) =>
  ({
    files: entries.map(() => new File([], 'night')),
    items: entries.map((found) => ({ webkitGetAsEntry: () => found })),
  }) as unknown as DataTransfer
const paths = (files: File[]) => files.map((file) => file.webkitRelativePath)

test('the files of a folder and of folders in it, however many, without hidden ones', async () => {
  const many = Array.from({ length: 250 }, (_, n) => entry(`/night/walk ${n}.bvh`))
  const files = await filesOf(drop(folder([entry('/night/.hidden'), folder([entry('/night/late/bow.bvh')]), ...many])))
  expect(files).toHaveLength(251)
  expect(paths(files).slice(0, 2)).toEqual(['night/late/bow.bvh', 'night/walk 0.bvh'])
})

test('a folder without files is nothing, and what cannot be read does not end the rest', async () => {
  const broken = {
    isFile: true,
    file: (_: unknown, failed: (problem: Error) => void) => failed(new Error('gone')),
  } as unknown as FileSystemEntry
  expect(await filesOf(drop(folder([])))).toEqual([])
  expect(paths(await filesOf(drop(folder([broken, entry('/night/bow.bvh')]))))).toEqual(['night/bow.bvh'])
  expect(await filesOf(null)).toEqual([])
})
