import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { Intake } from './intake'
import type { Again } from './known'

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

  it('what is ill all the time in a small firm is told, and stays so where only those are looked at again', async (context) => {
    if (!database) return context.skip()
    await database.exec(`truncate ${LOGONS}`)
    const intake = new Intake(database)
    // Some come from elsewhere, too few of them for a usual of their own on the first day.
    const at = (i: number) => {
      const far = i % 4 === 1
      const vary = (ms: number) => ms * (0.7 + ((i * 37) % 13) / 20)
      return logon({
        id: `a${i}`,
        person: `p${i % 17}`,
        host: far ? 'TH-far' : `TH-${i % 3}`,
        at: START_MS + Math.floor(i / 60) * 86_400_000 + (i % 60) * 300_000,
        attrs: { share: 'quay', zone: far ? 'south' : 'north', network: i % 3 === 0 ? 'home' : 'office' },
        phases: { broker: vary(500), container: vary(far ? 8000 : 1400), profile: vary(2000), shell: vary(4000) },
      })
    }
    const all = Array.from({ length: 180 }, (_, i) => i)
    const ill = all.filter((i) => i % 4 === 1)
    for (const from of [0, 120]) await intake.ingest(all.slice(from, from + 120).flatMap(at), START_MS + 3 * 86_400_000)
    const told = async () =>
      (await database.query<{ id: string }>('select id from attempts where lost_ms > 0')).map(({ id }) => Number(id.slice(1))).sort((a, b) => a - b)
    expect(await told()).toEqual(ill)
    for (let times = 0; times < 2; times++) {
      const again = await database.query<Again>('select thread, started_ms as "atMs" from attempts where lost_ms > 0 order by started_ms')
      await intake.explainAnew(again, START_MS + 3 * 86_400_000)
      expect(await told()).toEqual(ill)
    }
  })
})
