import { existsSync, readFileSync } from 'node:fs'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { ChangeGroup, Changes, PolicySet } from '../../core/policies'
import type { Database } from '../db/database'
import { openEmbedded } from '../db/embedded'
import { migrate } from '../db/migrate'
import type { InMemory } from '../logons/compare'
import { Intake } from '../logons/intake'
import { logonEffects } from './effects'
import { waysOf } from './ways'

const MINUTE = 60_000
const nowMs = START_MS + 300 * MINUTE
const template = 'dist/server/empty-database.tar'
let database: Database
let intake: Intake
const nothing: InMemory = { cohort: () => Promise.resolve(null), phases: () => Promise.resolve(null) }
const everything: InMemory = { cohort: (filter) => intake.cohort(filter), phases: (asked) => intake.phases(asked) }

/** Sixty logons on two pools: some the first, some with a second factor, some over the relay; a few wait for their container, two fail. */
beforeAll(async () => {
  database = await openEmbedded(undefined, existsSync(template) ? new Blob([readFileSync(template)]) : undefined)
  await migrate(database)
  intake = new Intake(database)
  const all = Array.from({ length: 60 }, (_, i) =>
    logon({
      id: `e${i}`,
      person: `p${i}`,
      host: `H-${i % 4}`,
      pool: i % 2 === 0 ? 'halls' : 'bridge',
      at: START_MS + i * 3 * MINUTE,
      outcome: i % 29 === 28 ? 'failed' : 'ready',
      phases: { 'sign-on': 2000 + 37 * i, connect: i % 3 === 0 ? 3000 + i : 900 + i, container: i % 10 === 0 ? 25_000 : 1200 },
      attrs: {
        first: i % 5 === 0,
        network: i % 6 < 3 ? 'home' : 'office',
        ...(i % 7 === 0 ? {} : { transport: i % 3 === 0 ? 'relay' : 'direct' }),
        factor: i % 4 === 0 ? 'push' : 'none',
      },
    }),
  )
  await intake.ingest(all.flat(), nowMs)
  await vi.waitFor(async () => expect(await intake.cohort({ fromMs: 0, toMs: nowMs })).not.toBeNull())
})
afterAll(() => database.close())

const NO_SET: PolicySet = { base: {}, policies: [], networks: [], promises: [] }
const changed = (setting: string, before: unknown, after: unknown, pools: string[]): Changes => ({
  people: 60,
  situations: 1,
  decided: true,
  groups: [
    {
      ...{ setting, title: setting, before: String(before), after: String(after), values: { before, after } },
      ...{ direction: 'other', takesEffect: 'next logon', people: 60, some: [], pools, only: [] },
    } satisfies ChangeGroup,
  ],
})

describe('what settings do to logons', () => {
  it.each<[setting: string, before: unknown, after: unknown, pools: string[]]>([
    ['transport', 'direct-first', 'relay', ['halls', 'bridge']],
    ['transport', 'relay', 'direct-only', ['halls']],
    ['signOnStrength', 'password', 'push', ['halls', 'bridge']],
    ['locations', ['\\\\a\\b'], ['\\\\c\\d'], ['halls', 'bridge']],
    ['slowSeconds', 60, 20, ['halls', 'bridge']],
    ['slowSeconds', 20, 5, ['bridge']],
    ['heldWaitSeconds', 30, 10, ['halls']],
    ['factorSeconds', 60, 3, ['halls', 'bridge']],
    ['packagesSeconds', 60, 30, ['halls']],
    ['transport', 'direct-first', 'relay', ['none']],
  ])('%s from %j to %j on %j: the same from memory as from the database', async (setting, before, after, pools) => {
    const changes = changed(setting, before, after, pools)
    const [fast, slow] = await Promise.all([everything, nothing].map((memory) => logonEffects(database, memory, changes, NO_SET, nowMs)))
    expect(fast).toEqual(slow)
    expect(fast).toHaveLength(1)
  })

  it('are said with the middle of those that went the one way and the other', async () => {
    const [effect] = await logonEffects(database, everything, changed('transport', 'direct-first', 'relay', ['halls', 'bridge']), NO_SET, nowMs)
    // 17 went over the relay and 34 directly; the middle of 3000 + i and of 900 + i.
    expect(effect?.sentence).toMatch(/^Connect takes 0\.9 s direct, 3(\.0)? s over the relay, in the middle/)
  })

  it('which way logons went is the same from both, network by network', async () => {
    const [fast, slow] = await Promise.all([everything, nothing].map((memory) => waysOf(database, memory, nowMs)))
    expect(fast).toEqual(slow)
    expect(fast?.map(({ network, transport }) => `${network} ${transport}`)).toEqual(['home direct', 'home relay', 'office direct', 'office relay'])
    expect(fast?.reduce((sum, { logons }) => sum + logons, 0)).toBe(60 - Math.ceil(60 / 7))
  })
})
