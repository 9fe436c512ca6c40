// Open a delivered archive with the loaders of three.js alone, print where joints are, and compare with its manifest:
// ARCHIVE [--json]. Ends with 1 where something differs or cannot be read.
import { readFileSync } from 'node:fs'
import { DOMParser } from '@xmldom/xmldom'
import { check, READ, unpack } from './archive.js'

globalThis.self = globalThis
globalThis.DOMParser = DOMParser

const [path, as] = process.argv.slice(2)
const report = []
let failed = false
try {
  const { manifest, files } = unpack(new Uint8Array(readFileSync(path)))
  for (const result of manifest.results) {
    const row = { file: result.file, clip: result.clip }
    try {
      const { rows, tolerance, motion } = await check(result, files, manifest.wanted?.unit)
      const worst = Math.max(0, ...rows.map(({ off }) => off))
      Object.assign(row, { read: motion !== null, places: rows, worst, same: motion === null || worst <= tolerance })
    } catch (problem) {
      Object.assign(row, { read: false, same: false, problem: problem.message })
    }
    failed ||= !row.same
    report.push(row)
  }
} catch (problem) {
  console.error(problem.message)
  process.exit(1)
}
if (as === '--json') console.log(JSON.stringify(report))
else
  for (const { file, clip, read, places, worst, same, problem } of report) {
    const verdict =
      problem ?? (read ? `${same ? 'as it was meant' : 'DIFFERS'}, ${(worst * 1000).toFixed(3)} mm off` : '')
    console.log(`${file}  ${clip}  ${verdict || `three.js reads ${READ.join(', ')} alone`}`)
    for (const { joint, frame, at, read: there } of places ?? [])
      console.log(
        `    ${joint}, frame ${frame}: said ${at.join(' ')}, read ${there?.map((v) => v.toFixed(6)).join(' ') ?? 'nowhere'}`,
      )
  }
process.exit(failed ? 1 : 0)
