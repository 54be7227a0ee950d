import { expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { emptied, LOGONS } from '../db/fixtures/emptied'
import { Intake } from '../logons/intake'
import { factsOfAttempt } from './sessions'

const database = emptied(LOGONS)

it('the facts of a logon are what its evidence told: not a pool that only the name of its host does', async () => {
  const host = 'FIE-VD07'
  const told = logon({ id: 'told', host, at: START_MS, pool: 'field', attrs: { network: 'home', clientAddress: '10.4.2.17' } })
  const guessed = logon({ id: 'guessed', host, at: START_MS + 3_600_000, attrs: { network: 'home' } }).map((one) => ({ ...one, pool: undefined }))
  await new Intake(database).ingest([...told, ...guessed], START_MS + 7_200_000)
  expect(await database.query('select id, pool from attempts order by id')).toEqual([
    { id: 'guessed', pool: 'FIE-VD*' },
    { id: 'told', pool: 'field' },
  ])
  expect(await factsOfAttempt(database, 'told')).toMatchObject({ host, pool: 'field', network: 'home', address: '10.4.2.17' })
  const { pool, ...facts } = await factsOfAttempt(database, 'guessed')
  expect([pool, facts]).toMatchObject([undefined, { host, network: 'home' }])
})
