// Print what the Khronos glTF validator says of a file.
import { readFileSync } from 'node:fs'
import validator from 'gltf-validator'

const report = await validator.validateBytes(new Uint8Array(readFileSync(process.argv[2])))
const { numErrors, numWarnings, messages } = report.issues
console.log(JSON.stringify({ numErrors, numWarnings, messages: messages.filter((one) => one.severity < 2).slice(0, 10) }))
