import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { Intake } from './intake'
import { readStory } from './story'

describe.each(engines)('the story of a logon on %s', (name, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))

  it('tells what people take to approve from what machines take', async (context) => {
    if (!database) return context.skip(`${name} is not installed here`)
    await database.exec(`truncate ${LOGONS}`)
    const phases = { broker: 600, connect: 1000, policy: 2400, shell: 4000 }
    const asked = (id: string, at: number, approvalMs: number, itselfMs: number) =>
      logon({ id, person: id, at, phases: { ...phases, 'sign-on': itselfMs + approvalMs }, attrs: { factor: 'push', approvalMs } })
    const many = Array.from({ length: 80 }, (_, i) => asked(`a${i}`, START_MS - (i + 1) * 60_000, 3000 + 100 * (i % 60), 2000 + 20 * (i % 9))).flat()
    await new Intake(database).ingest(
      [
        ...many,
        ...asked('long', START_MS, 9000, 2000),
        ...asked('late', START_MS + 1000, 50_000, 2000),
        ...asked('machine', START_MS + 2000, 4000, 12_000),
      ],
      START_MS + 86_400_000,
    )
    const story = async (id: string) => {
      const { approvalMs, excess, lostMs, diagnosis } = await readStory(database, id, START_MS + 86_400_000)
      return { approvalMs, excess, lostMs, cause: diagnosis.cause?.id ?? null }
    }
    const near = (ms: number): unknown => expect.closeTo(ms, -3)
    expect(await story('long')).toEqual({ approvalMs: 9000, excess: [], lostMs: 0, cause: null })
    // As long as the approval of others would have been, sign-on would have taken 7 s.
    expect(await story('late')).toMatchObject({
      approvalMs: 50_000,
      excess: [{ phase: 'sign-on', ms: near(45_000), usualMs: near(7000), tookMs: 52_000 }],
      cause: 'second-factor-slow',
    })
    expect(await story('machine')).toMatchObject({ excess: [{ phase: 'sign-on', ms: near(10_000), usualMs: near(2080), tookMs: 12_000 }] })
  })
})
