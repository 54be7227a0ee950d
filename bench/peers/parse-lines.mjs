// A program that does nothing but read a file, and JSON.parse each of its lines.
import { openSync, readSync } from 'node:fs'

const PIECE = 1 << 20
const file = openSync(process.argv[2], 'r')
const bytes = Buffer.allocUnsafe(2 * PIECE)
let held = 0
let lines = 0
for (let read = -1; read !== 0;) {
  read = readSync(file, bytes, held, PIECE, null)
  held += read
  const end = read === 0 ? held : bytes.lastIndexOf(10, held - 1) + 1
  for (const line of bytes.toString('utf8', 0, end).split('\n')) if (line !== '' && JSON.parse(line)) lines++
  bytes.copy(bytes, 0, end, held)
  held -= end
}
if (lines === 0) process.exitCode = 1
