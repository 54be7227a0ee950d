import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { handedOver } from '../../core/logons/fixtures/clocks'
import { emptied, LOGONS } from '../db/fixtures/emptied'
import { keepChanges } from '../journal/changes'
import { Intake } from './intake'

const MINUTE_MS = 60_000
const database = emptied(LOGONS)

const QUAY = String.raw`\\quay-fs1\profiles`
const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
/** A logon a minute on two shares; from the hundredth on, one of them is slow. */
const nth = (i: number, fromMs = START_MS) =>
  logon({
    id: `l${i}`,
    person: `p${i}`,
    at: fromMs + i * MINUTE_MS,
    attrs: { share: i % 2 === 0 ? QUAY : String.raw`\\hill-fs1\profiles`, shareLatencyMs: i % 2 === 0 && i >= 100 ? 40 : 4 },
    phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(i % 2 === 0 && i >= 100 ? { container: 12_000, profile: 6000 } : {}) },
  })
const evidenceOf = async (id: string) => {
  const [found] = await database.query<{ diagnosis: { cause: { id: string; evidence: { sentence: string }[] } | null } }>(
    'select diagnosis from findings where attempt = $1',
    [id],
  )
  return { id: found?.diagnosis.cause?.id, sentences: found?.diagnosis.cause?.evidence.map(({ sentence }) => sentence) ?? [] }
}

describe('what was taken before a start', () => {
  it('has the neighbours of what comes after it, also where nothing was under way at the start', async () => {
    const nowMs = START_MS + 140 * MINUTE_MS
    await new Intake(database).ingest(Array.from({ length: 140 }, (_, i) => nth(i)).flat(), nowMs)
    const started = new Intake(database)
    await started.reconsider(nowMs + 24 * 60 * MINUTE_MS)
    await started.ingest(nth(140), nowMs + MINUTE_MS)
    const { id, sentences } = await evidenceOf('l140')
    expect(id).toBe('share-slow')
    expect(sentences.join('\n')).toContain(`20 of 70 other logons with share ${QUAY} were slow`)
  })

  it('says what hosts are and whose share is which, where what comes after it does not', async () => {
    await database.exec(`truncate ${LOGONS}`)
    const of = (id: string, at: number, attrs: Record<string, string>) =>
      logon({ id, person: 'mara', host: 'H-9', at: START_MS + at * MINUTE_MS, attrs })
    await new Intake(database).ingest(
      [...of('k1', 0, { share: QUAY, zone: 'Q1', image: 'v1' }), ...of('k2', 60, { image: 'v2' }), ...of('k3', 90, { zone: 'Q1' })],
      START_MS + 100 * MINUTE_MS,
    )
    await new Intake(database).ingest([...of('later', 120, {}), ...of('between', 30, {})], START_MS + 130 * MINUTE_MS)
    const rows = await database.query(`select id, share, zone, image from attempts where id in ('later', 'between') order by id`)
    expect(rows[1]).toEqual({ id: 'later', share: QUAY, zone: 'Q1', image: 'v2' })
    expect(rows[0]).toMatchObject({ id: 'between', share: QUAY, zone: 'Q1' })
  })

  it('says how logons went when an image came, days ago', async () => {
    await database.exec(`truncate ${LOGONS}`)
    const one = (i: number, image: string, slow: boolean) =>
      logon({
        ...{ id: `i${i}`, person: `p${i % 40}`, host: `H${i % 5}`, at: START_MS + i * 20 * MINUTE_MS, attrs: { image } },
        phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(slow ? { shell: 19_000 } : {}) },
      })
    const nowMs = START_MS + 280 * 20 * MINUTE_MS
    const before = new Intake(database)
    for (let from = 0; from < 280; from += 40)
      await before.ingest(Array.from({ length: 40 }, (_, k) => one(from + k, from + k < 60 ? 'may' : 'june', from + k >= 60)).flat(), nowMs)
    // Three days later, nobody is left among the neighbours who was fine.
    await new Intake(database).ingest(one(281, 'june', true), nowMs + 60 * MINUTE_MS)
    const { id, sentences } = await evidenceOf('i281')
    expect(id).toBe('image-regression')
    expect(sentences).toContain('Of the first 20 logons on image june 20 were slow in shell; of the last 20 before it on the pool, 0.')
  })

  it('says what parts of policy take ordinarily, though not by what was slow', async () => {
    await database.exec(`truncate ${LOGONS}`)
    const one = (i: number, printersMs: number) => {
      const all = logon({
        id: `q${i}`,
        person: `p${i % 40}`,
        at: START_MS + i * MINUTE_MS,
        phases: { ...USUAL, policy: 2400 + (i % 5) * 50 + printersMs },
      })
      const policy = all.find(({ phase }) => phase === 'policy')
      const part = (name: string, afterMs: number, durationMs: number) =>
        policy ? [{ ...policy, timeMs: policy.timeMs + afterMs, part: name, durationMs }] : []
      return [...all, ...part('folders', 0, 2300), ...part('printers', 2300, printersMs)]
    }
    const nowMs = START_MS + 110 * MINUTE_MS
    const before = new Intake(database)
    // Half of each comes first, as sources send while somebody logs on.
    const well = Array.from({ length: 60 }, (_, i) => one(i, 400)).flat()
    await before.ingest(
      well.filter((o) => o.kind === 'begin'),
      nowMs,
    )
    await before.ingest(well, nowMs)
    // By now they are more than those that were well.
    await before.ingest(Array.from({ length: 70 }, (_, i) => one(60 + i, 6000)).flat(), nowMs + 60 * MINUTE_MS)
    await new Intake(database).ingest(one(131, 6000), nowMs + 120 * MINUTE_MS)
    for (const logon of ['q129', 'q131']) {
      const { id, sentences } = await evidenceOf(logon)
      expect(id).toBe('policy-part-slow')
      expect(sentences[0]).toMatch(/^Part “printers” took 6\.0 s; ordinarily 0\.4 s\.$/)
    }
  })

  it('may be timed more finely than the database counts, also where a clock is off', async () => {
    const intake = new Intake(database)
    const fine = handedOver({ 'H-3': -60_000 }, 240).map((one) => ({ ...one, timeMs: one.timeMs + 0.153 }))
    await intake.ingest(fine.slice(0, 800), START_MS + 86_400_000)
    await intake.ingest(fine.slice(800), START_MS + 86_400_000)
    const [{ n = 0, off = '' } = {}] = await database.query<{ n: number; off: string }>(
      `select count(*)::integer as n, (select string_agg(machine || ' ' || offset_ms, ', ') from clocks) as off from attempts`,
    )
    expect(n).toBe(240)
    expect(off).toMatch(/^H-3 -(59[5-9]|60[0-5])\d\d$/)
  })
})

it('evidence of long ago is explained with the changes of then', async () => {
  const yearAgoMs = Date.now() - 365 * 86_400_000
  const change = { kind: 'share' as const, scope: [{ dimension: 'share' as const, value: QUAY }], who: 'vaas' }
  await keepChanges(
    database,
    [
      { ...change, atMs: yearAgoMs + 98 * MINUTE_MS, sentence: 'Disks of the quay were swapped.' },
      { ...change, atMs: Date.now() - 1000, sentence: 'Disks of the quay were swapped again.' },
    ],
    Date.now(),
  )
  await new Intake(database).ingest(Array.from({ length: 140 }, (_, i) => nth(i, yearAgoMs)).flat(), Date.now())
  expect((await evidenceOf('l120')).sentences).toContain('Before it: Disks of the quay were swapped.')
})
