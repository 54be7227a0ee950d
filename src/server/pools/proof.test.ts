import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { Job } from '../../contract/other'
import { makeWorld, QUAY, type World } from '../containers/fixtures/world'
import { scanShares } from '../containers/scan'
import { current } from '../policies/routes'
import { finishProofs, lastProofs, proofJob } from './proof'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  await world.reset()
  world.put('mara/profile.vhdx', [0])
  await scanShares(world.context())
  const { settings } = await current(world.database)
  await world.database.query('update hosts set report = $1::jsonb, reported_ms = $2', [
    JSON.stringify({ version: 1, inForce: settings, pending: [] }),
    world.nowMs,
  ])
})
const POOL = { id: 'ticket-hall', mode: 'container' }
const prove = async (person = 'mara'): Promise<Job> => world.run(await proofJob(world.context(), POOL, person, 'vaas'))
const failed = (job: Job) => job.steps.find(({ state }) => state === 'failed')
const proof = async () => (await lastProofs(world.database)).get('ticket-hall')

describe('the proof with a test person', () => {
  it('goes through: the same container on two hosts, nothing left behind, the drain undone', async () => {
    const job = await prove()
    expect(job.steps.map(({ state }) => state)).toEqual(Array(job.steps.length).fill('done'))
    expect(job.steps[2]?.note).toBe(`${QUAY}\\mara\\profile.vhdx, VHDX, dynamic`)
    expect(await proof()).toMatchObject({ ok: true, person: 'mara', sentence: 'The same container on TH-1 and on TH-2; nothing was left behind.' })
    expect([world.asked, world.sessions, world.draining.size]).toEqual([
      ['fetch TH-1', 'end s1-TH-1', 'drain TH-1', 'end s1-TH-2', 'undrain TH-1'],
      [],
      0,
    ])
  })

  it('finds a host that works on a local profile, and still logs the person off', async () => {
    world.local = true
    const job = await prove()
    expect(failed(job)).toMatchObject({
      title: 'See their container, under their own folder',
      note: 'TH-1 has no container attached for this session: it works on a local profile.',
    })
    expect([(await proof())?.ok, world.sessions, world.draining.size]).toEqual([false, [], 0])
  })

  it('finds what was left on the host', async () => {
    world.words.set('TH-1', {})
    expect(failed(await prove())?.note).toBe('TH-1 still has a local profile of mara: it would be used instead of the container.')
    // It was not drained yet, so there is nothing to undo.
    expect(world.asked).toEqual(['fetch TH-1', 'end s1-TH-1'])
  })

  it('finds settings that are not as they should be, an older copy, and another profile', async () => {
    await world.database.query(`update hosts set report = jsonb_set(report, '{inForce,sizeLimitMib}', '1024') where id = 'TH-1'`)
    expect(failed(await prove())?.note).toContain('TH-1: differs. Size limit of a container: 1 GiB, should be 30 GiB')
    await world.database.query(`update hosts set report = jsonb_set(report, '{inForce,sizeLimitMib}', '30720')`)
    const spoilt = async (text: string | null) => {
      const job = await proofJob({ ...world.context(), fleet: { ...world.fleet, readIn: async () => text } }, POOL, 'mara', 'vaas')
      return failed(await world.run(job))?.note
    }
    expect(await spoilt('yesterday')).toContain('older copy')
    expect(await spoilt(null)).toContain('another profile')
    // The drain was undone both times.
    expect([world.asked.filter((one) => one === 'undrain TH-1').length, world.sessions]).toEqual([2, []])
  })

  it('says why it cannot begin', async () => {
    world.refuse = 'mara may not use ticket-hall'
    expect(failed(await prove())?.note).toBe('The logon did not work: mara may not use ticket-hall.')
    world.draining.add('TH-2')
    expect(failed(await prove())?.note).toContain('Only one host')
    await expect(prove('nobody')).rejects.toThrow(/No person/)
    await expect(prove('jonas')).rejects.toThrow(/switched off/)
    await expect(proofJob(world.context(), { id: 'bridge-ops', mode: 'local' }, 'ilse', 'vaas')).rejects.toThrow(/does not work with containers/)
  })

  it('puts back what a stop in the middle left', async () => {
    await world.database.query(`insert into proofs values ('p', 'ticket-hall', 'mara', 'vaas', 1, null, null, 'TH-1')`)
    world.draining.add('TH-1')
    world.sessions = [{ person: 'mara', session: 's9', host: 'TH-2', sinceMs: 0, state: 'active' }]
    await finishProofs(world.context(), world.nowMs)
    expect([world.draining.size, world.sessions, (await proof())?.sentence]).toEqual([
      0,
      [],
      'Ikebana was stopped during the proof. TH-1 takes sessions again.',
    ])
  })
})
