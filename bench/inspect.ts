import { execFileSync } from 'node:child_process'
import { closeSync, mkdtempSync, openSync, rmSync, truncateSync, writeSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { inspect, newVhdx } from '../src/core/containers'
import { openDisk } from '../src/server/containers/open-disk'

/** Reading the structure of many disk files; the peer is one qemu-img process a file. */
const FILES = 2000
const PEERS = 40
const ROUNDS = 5
const folder = mkdtempSync(join(tmpdir(), 'ikebana-bench-'))
const guid = (n: number) => `${n.toString(16).padStart(8, '0')}-2222-4333-A444-555555555555`
const paths = Array.from({ length: FILES }, (_, i) => {
  const { pieces, fileBytes } = newVhdx({
    virtualBytes: 30 * 2 ** 30,
    blockBytes: 32 * 2 ** 20,
    present: Array.from({ length: 20 + (i % 300) }, (_, block) => block),
    creator: 'bench',
    guids: { fileWrite: guid(i), dataWrite: guid(i + 1), disk: guid(i + 2) },
  })
  const path = join(folder, `${i}.vhdx`)
  const file = openSync(path, 'w')
  for (const { offset, bytes } of pieces) writeSync(file, bytes, 0, bytes.length, offset)
  closeSync(file)
  truncateSync(path, fileBytes)
  return path
})
try {
  let ours = 0
  let peer = 0
  let reads = 0
  // The first round warms up. Both take turns, so that a machine that is slow for a while is slow for both.
  for (let round = 0; round <= ROUNDS; round++) {
    const begun = performance.now()
    for (const path of paths) {
      const disk = openDisk(path)
      const { state } = await inspect(disk)
      if (state !== 'clean') throw new Error(`${path} is ${state}`)
      if (round > 0) reads += disk.reads
      disk.close()
    }
    const between = performance.now()
    for (const path of paths.slice(0, PEERS)) execFileSync('qemu-img', ['info', '--output=json', path])
    if (round > 0) {
      ours += (between - begun) / FILES / ROUNDS
      peer += (performance.now() - between) / PEERS / ROUNDS
    }
  }
  console.log(
    `Inspecting ${FILES} disk files\n  qemu-img info, a process a file  ${peer.toFixed(2)} ms a file\n  ours                             ${ours.toFixed(3)} ms a file  = ${(peer / ours).toFixed(0)} times its rate (aim 50), ${(reads / FILES / ROUNDS).toFixed(1)} reads a file\n`,
  )
} finally {
  rmSync(folder, { recursive: true, force: true })
}
