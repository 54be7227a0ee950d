import { readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { makeWorld } from '../src/server/containers/fixtures/world'
import { scanShares } from '../src/server/containers/scan'

/** A scan of 5,000 containers: all new, then nothing changed, then ten changed. The peer only lists the folder and asks for each file's size. */
const N = 5000
const world = await makeWorld()
await world.reset()
for (let i = 0; i < N; i++) world.put(`person${i}/profile.vhdx`, [0])
const time = async (work: () => unknown): Promise<number> => {
  const begun = performance.now()
  await work()
  return performance.now() - begun
}
/** The longest time for which the thread that answers requests was held while the work went on. */
async function held(work: () => Promise<unknown>): Promise<{ ms: number; heldMs: number }> {
  let [heldMs, last] = [0, performance.now()]
  const timer = setInterval(() => {
    const now = performance.now()
    heldMs = Math.max(heldMs, now - last - 5)
    last = now
  }, 5)
  const ms = await time(work)
  clearInterval(timer)
  return { ms, heldMs }
}
const walk = () => {
  for (const entry of readdirSync(world.quay.mount, { recursive: true, withFileTypes: true }))
    if (entry.isFile()) statSync(join(entry.parentPath, entry.name))
}
await time(walk)
const peer = await time(walk)
const context = world.context()
const first = await time(() => scanShares(context))
const again = await held(() => scanShares(context))
for (let i = 0; i < 10; i++) world.put(`person${i}/profile.vhdx`, [0, 1], 0)
const few = await time(() => scanShares(context))
const row = (what: string, ms: number) => `  ${what.padEnd(24)} ${Math.round(ms)} ms = ${(ms / peer).toFixed(1)} times the walk\n`
console.log(
  `A scan of ${N.toLocaleString('en')} containers; structures are read in this thread here, in the disk thread on a server\n  walk and sizes alone     ${Math.round(peer)} ms\n${row('all of them new', first)}${row('nothing changed', again.ms)}${row('ten changed', few)}  the thread was held for ${Math.round(again.heldMs)} ms at most where nothing changed\n`,
)
await world.close()
