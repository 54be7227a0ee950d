import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { Intake } from './intake'
import { listAttempts } from './store'

const NOW = START_MS + 3_600_000

describe.each(engines)('the list of logons on %s', (_, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))
  const fresh = async () => {
    await database.exec(`truncate ${LOGONS}`)
    return new Intake(database)
  }

  it('goes on where the page before ended, whatever ids are made of', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const ids = ['a~b', 'plain', '~', 'a~c', 'a']
    await intake.ingest(
      ids.flatMap((id) => logon({ id, person: id })),
      NOW,
    )
    for (const sort of ['started', 'total', 'lost'] as const) {
      const listed: string[] = []
      for (let before: string | null = ''; before !== null;) {
        const page = await listAttempts(database, { sort, limit: 1, before })
        listed.push(...page.attempts.map(({ id }) => id))
        before = page.attempts.length === 1 ? page.next : null
      }
      expect([sort, [...listed].sort()]).toEqual([sort, [...ids].sort()])
    }
  })

  it('lists the logons of a host by its name with its domain or without; an address is itself', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const hosts = ['QH-1', 'qh-1.larkmere.example', 'QH-10', '10.1.2.3', '10.1.9.9']
    await intake.ingest(
      hosts.flatMap((host, i) => logon({ id: `h${i}`, person: `p${i}`, host })),
      NOW,
    )
    const of = async (host: string) => (await listAttempts(database, { host, sort: 'started', limit: 50 })).attempts.map(({ id }) => id).sort()
    expect([await of('qh-1'), await of('QH-1.larkmere.example'), await of('10.1.2.3')]).toEqual([['h0', 'h1'], ['h0', 'h1'], ['h3']])
  })

  it('lists the logons with any second factor, or one of them', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const factors = ['none', 'push', 'key', undefined]
    await intake.ingest(
      factors.flatMap((factor, i) => logon({ id: factor ?? 'not told', person: `p${i}`, ...(factor ? { attrs: { factor } } : {}) })),
      NOW,
    )
    const of = async (factor: string) => (await listAttempts(database, { factor, sort: 'started', limit: 50 })).attempts.map(({ id }) => id).sort()
    expect([await of('any'), await of('push'), await of('none')]).toEqual([['key', 'push'], ['push'], ['none']])
  })
})
