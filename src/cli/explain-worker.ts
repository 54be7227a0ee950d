import { closeSync, openSync, writeSync } from 'node:fs'
import { parentPort, workerData } from 'node:worker_threads'
import { clockSays, type Attempt } from '../core/logons'
import { textOf } from './analyse-text'
import type { Apart } from './explain-apart'
import { readGivens } from './given-file'

/** Explains attempts while more are still read, and writes what is said of them to a file. See explain-apart.ts. */
const { path, into, frames, asked, org } = workerData as Apart
const clocks: string[] = []
const file = openSync(into, 'w')
const pieces = textOf(attempts(), asked, org, (found) => {
  for (const offset of found.values()) clocks.push(clockSays(offset))
})
for (const bytes of pieces) writeSync(file, bytes)
closeSync(file)
parentPort?.postMessage(clocks)

function* attempts(): Generator<Attempt> {
  const isThere = (frame: number) => {
    for (let there = Atomics.load(frames, 0); there <= frame; there = Atomics.load(frames, 0)) Atomics.wait(frames, 0, there)
    return true
  }
  for (const { attempt } of readGivens(path, isThere)) yield attempt
}
