import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { Intake } from './intake'

describe.each(engines)('in hindsight on %s', (_name, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))

  it('the first of an incident, that had nobody yet to be held against, is told by those who came after', async (context) => {
    if (!database) return context.skip()
    await database.exec(`truncate ${LOGONS}`)
    const intake = new Intake(database)
    const minute = 60_000
    const at = (i: number, id: string, ill: boolean) =>
      logon({
        id,
        person: `p${i % 40}`,
        host: `TH-${i % 8}`,
        at: START_MS + i * 2 * minute,
        attrs: { share: i % 2 ? 'quay' : 'hill' },
        phases: { broker: 500, container: ill ? 24_000 : 1200 + (i % 7) * 50, profile: 2000, shell: 4000 },
      })
    const causes = () => database.query<{ id: string; cause: string | null }>(`select id, cause from attempts where lost_ms > 0 order by started_ms`)
    for (let i = 0; i < 120; i++) await intake.ingest(at(i, `a${i}`, false), START_MS + i * 2 * minute)
    await intake.reconsider(START_MS + 240 * minute)
    await intake.ingest(at(121, 'first', true), START_MS + 243 * minute)
    const [alone] = await causes()
    expect(alone).toMatchObject({ id: 'first' })
    expect(alone?.cause).not.toBe('share-slow')
    for (let i = 122; i < 150; i++) await intake.ingest(at(i, `b${i}`, i % 2 === 1), START_MS + (i * 2 + 1) * minute)
    await intake.reconsider(START_MS + 301 * minute)
    expect((await causes())[0]).toEqual({ id: 'first', cause: 'share-slow' })
  })
})
