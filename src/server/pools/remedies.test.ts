import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { makeWorld, QUAY, type World } from '../containers/fixtures/world'
import { scanShares } from '../containers/scan'
import type { NewJob } from '../journal/jobs'
import type { Fleet, FleetHold } from './fleet'
import { releaseHold, restartSteps } from './remedies'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(() => world.reset())

const ran = async (parts: Pick<NewJob, 'steps'> & Partial<Pick<NewJob, 'change'>>) => {
  const job = await world.run({
    kind: 'test',
    title: 'Test',
    target: null,
    author: 'vaas',
    attempt: null,
    change: { before: 'b', after: 'a' },
    ...parts,
  })
  return { state: job.state, notes: job.steps.map(({ state, note }) => `${state}: ${note}`) }
}

describe('releasing a hold', () => {
  const hold = (file = 'mara/profile.vhdx'): FleetHold => ({ share: QUAY, file, host: 'TH-1', session: 's1', sinceMs: world.nowMs - 3_600_000 })
  /** A fleet with one host, whose state is told here, that holds one container. */
  const fleet = (more: Partial<Fleet> & { held?: FleetHold | null; power?: 'on' | 'off'; answers?: boolean } = {}) => {
    const { held = hold(), power = 'on', answers = true, ...rest } = more
    let left = held
    const released: FleetHold[] = []
    const made = {
      ...world.fleet,
      holds: async () => (left ? [left] : []),
      hosts: async () => [{ host: 'TH-1', pool: 'ticket-hall', zone: 'Q1', image: 'i', power, answers, draining: false }],
      sessions: async () => [],
      release: async (one: FleetHold) => {
        released.push(one)
        left = null
        return { released: true, reason: 'the hold was dropped' }
      },
      ...rest,
    } as unknown as Fleet
    return { need: { fleet: made, database: world.database }, released }
  }
  const release = async (options: Parameters<typeof fleet>[0] = {}, person = 'mara') => {
    const { need, released } = fleet(options)
    return { ...(await ran(releaseHold(need, 'TH-1', person))), released }
  }

  it('asks the host first, releases, sees that it is free, and says so', async () => {
    world.put('mara/profile.vhdx', [0])
    await scanShares(world.context())
    await world.database.exec(`update containers set holder_host = 'TH-1', holder_session = 's1', holder_alive = false`)
    const { state, notes, released } = await release()
    expect([state, notes, released]).toEqual([
      'done',
      [
        'done: TH-1, session s1',
        'done: TH-1 lists 0 sessions; s1 is not among them.',
        'done: the hold was dropped',
        'done: Nobody holds it. The next logon will show whether it helped.',
      ],
      [hold()],
    ])
    expect(await world.database.query('select holder_host from containers')).toEqual([{ holder_host: null }])
  })

  it('knows a container that no scan has seen yet by its folder, and by nobody else’s', async () => {
    expect((await release()).state).toBe('done')
    expect((await release({}, 'jonas')).notes[0]).toBe('failed: Nothing holds it any more. Nothing was changed.')
    expect((await release({ held: null })).notes[0]).toBe('failed: Nothing holds it any more. Nothing was changed.')
  })

  it('releases nothing while the session lives, and does not ask a host that is off', async () => {
    const sessions = async () => [{ session: 's1', person: 'mara', sinceMs: 0, state: 'active' }]
    const living = await release({ sessions } as never)
    expect([living.state, living.notes[1], living.released]).toEqual([
      'failed',
      'failed: Session s1 still lives on TH-1. Nothing was released; ask the person to log off there.',
      [],
    ])
    const off = await release({ power: 'off', sessions: () => Promise.reject(new Error('no answer')) })
    expect([off.state, off.notes[1]]).toEqual(['done', 'done: TH-1 is switched off: no session can live there.'])
    expect((await release({ answers: false })).notes[1]).toBe('done: TH-1 is not answering: no session can live there.')
  })

  it('says what the share said where it refuses, and when somebody takes it again', async () => {
    expect((await release({ release: async () => ({ released: false, reason: 'it is busy' }) })).notes.slice(2)).toEqual([
      'failed: The share refused: it is busy',
      'skipped: null',
    ])
    const again = await release({ release: async () => ({ released: true, reason: 'dropped' }) })
    expect([again.state, again.notes[3]]).toEqual(['failed', 'failed: It is held again.'])
  })
})

describe('restarting a host', () => {
  const restart = async (more: Partial<Fleet>, answers = true) => {
    const drains: boolean[] = []
    const fleet = {
      ...world.fleet,
      drain: async (_: string, on: boolean) => void drains.push(on),
      sessions: async () => [{}, {}],
      restart: async () => undefined,
      hosts: async () => [{ host: 'TH-1', pool: 'ticket-hall', zone: 'Q1', image: 'i', power: 'on', answers, draining: true }],
      ...more,
    } as unknown as Fleet
    return { ...(await ran({ steps: restartSteps({ fleet }, 'TH-1') })), drains }
  }

  it('stops new sessions, restarts, waits, and lets it take sessions again', async () => {
    expect(await restart({})).toEqual({
      state: 'done',
      notes: ['done: draining', 'done: 2 sessions', 'done: restart ordered', 'done: answers after 0 s or less', 'done: taking sessions'],
      drains: [true, false],
    })
  })

  it('lets it take sessions again also where the restart was refused, but not where it does not answer', async () => {
    const refused = await restart({ restart: () => Promise.reject(new Error('not now')) })
    expect([refused.state, refused.notes.slice(2), refused.drains]).toEqual([
      'failed',
      ['failed: not now', 'skipped: null', 'done: taking sessions'],
      [true, false],
    ])
    const silent = await restart({ restart: () => Promise.reject(new Error('not now')) }, false)
    const untouched = await restart({ drain: () => Promise.reject(new Error('no answer')) })
    expect([untouched.state, untouched.notes.at(-1), untouched.drains]).toEqual(['failed', 'done: its new sessions were not stopped', []])
    expect([silent.notes.at(-1), silent.drains]).toEqual(['failed: It does not answer: it is left without new sessions.', [true]])
  })
})
