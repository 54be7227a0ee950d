import {
  adminVerdict,
  compile,
  factsOf,
  readContext,
  resolve,
  settingOf,
  type AdminHost,
  type AdminWish,
  type AdminVerdict,
  type ReportedAdmin,
} from '../../core/policies'
import { Problem } from '../../contract/errors'
import type { AdminLine } from '../../contract/policies'
import type { Queryable } from '../db/database'
import { writeJournal } from '../journal/store'
import { StepStopped } from '../journal/jobs'
import { loadOrg } from '../logons/model'
import type { Context, Handlers } from '../shell/context'
import { readDraft } from './drafts'
import { waysOf } from './ways'
import { limitProofJob, limitProofs } from './limit-proof'
import { limitsOf, oddSessions, plainWords, proofsOfPerson, valuesForSession } from './sessions'
import { keepStretches, stretchLines } from './stretches'
import { versionsOf } from './sets'
import { sessionShould } from './should'

type Names =
  | 'sessionsOfPerson'
  | 'sessionsProof'
  | 'sessionTell'
  | 'stretches'
  | 'ways'
  | 'limitsOf'
  | 'limitProof'
  | 'limitProofs'
  | 'localAdmins'
  | 'localAdminSet'
  | 'agentSession'
  | 'agentStretches'

/** Policies as they are in force: in sessions, on desktops, and over the last days. */
export function sessionHandlers(context: Context): Handlers<Names> {
  const { database, fleet, now } = context
  return {
    sessionsOfPerson: async ({ input }) => ({ sessions: await proofsOfPerson(database, input.params.id) }),
    sessionsProof: () => oddSessions(database),
    async sessionTell({ input: { body }, caller }) {
      const [row] = await database.query<{ person: string }>(
        `select s->>'person' as person from hosts h cross join lateral jsonb_array_elements(h.sessions) s where h.id = $1 and s->>'session' = $2`,
        [body.host, body.session],
      )
      const proof = row && (await proofsOfPerson(database, row.person)).find(({ session }) => session === body.session)
      if (!row || !proof) throw new Problem('not-found', 'This session does not run any more.')
      const text = plainWords(proof.effective)
      await fleet.message(body.host, body.session, text)
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'told a person what applies to their session',
        target: row.person,
        after: text,
      })
      return { text }
    },
    ways: async () => ({ ways: await waysOf(database, context.evidence, now()) }),
    stretches: ({ input: { query } }) => stretchLines(database, query.days, now()),
    async limitsOf({ input: { body } }) {
      const [versions, draft] = await Promise.all([versionsOf(database), body.draft ? readDraft(database) : null])
      if (body.draft && !draft) throw new Problem('draft.none')
      const compiled = draft ? compile(draft.set) : versions.compiled(versions.newest)
      return { version: draft ? null : versions.newest.version, ...(await limitsOf(database, compiled, body.people, body.pools, now())) }
    },
    limitProof: async ({ input: { params, body }, caller }) => context.jobs.start(await limitProofJob(context, params.id, body.person, caller.name)),
    limitProofs: async () => ({ proofs: await limitProofs(database) }),
    localAdmins: async () => ({ lines: (await adminLines(database, now())).map(({ line }) => line) }),
    async localAdminSet({ input: { params }, caller }) {
      const found = (await adminLines(database, now())).find(({ line }) => line.host === params.id)
      if (!found) throw new Problem('not-found', 'No desktop is called so.')
      const { line, host } = found
      if (line.state !== 'to be given' && line.state !== 'to be taken away') throw new Problem('remedy.none', line.sentence)
      const give = line.state === 'to be given' ? host.assigned : null
      const before = host.reported.map(({ account }) => account).join(', ') || 'nobody'
      return context.jobs.start({
        kind: 'local-admin',
        title: give ? `Make ${give} administrator of ${line.host}` : `Take the right away on ${line.host}`,
        target: line.host,
        author: caller.name,
        attempt: null,
        change: { before, after: give ?? 'nobody' },
        steps: [
          { title: `Tell ${line.host}`, run: async () => (await fleet.setAdmin(line.host, give), give ? `only ${give}` : 'nobody') },
          {
            title: 'See what it reports',
            run: async () => {
              await fleet.fetchNow(line.host)
              const again = (await adminLines(database, now())).find((one) => one.line.host === line.host)
              // Where it was taken from others, its own person may be next.
              if (again && again.line.state !== 'as it should be' && (give !== null || again.line.state === 'to be taken away'))
                throw new StepStopped(again.line.sentence)
              return again?.line.sentence ?? ''
            },
          },
        ],
      })
    },
    async agentSession({ input: { body } }) {
      const reading = readContext({ ...body.facts, host: body.host }, now())
      if (!reading.ok) throw new Problem('request.invalid', reading.sentence)
      const { version, effective } = await sessionShould(database, reading.facts)
      return { version: version.version, values: valuesForSession(effective) }
    },
    async agentStretches({ input: { body } }) {
      await keepStretches(database, body.stretches)
      return { kept: body.stretches.length }
    },
  }
}

/** Takes the right away from those whose time is over, and says so in the journal. */
export async function endAdminRights({ database, fleet, now }: Pick<Context, 'database' | 'fleet' | 'now'>): Promise<void> {
  for (const { line, host } of await adminLines(database, now())) {
    const own = line.now.find(({ account }) => account === host.assigned)
    if (host.reported.length !== 1 || !own || own.untilMs === null || own.untilMs > now()) continue
    await fleet.setAdmin(line.host, null)
    await fleet.fetchNow(line.host)
    await writeJournal(database, {
      atMs: now(),
      who: 'Ikebana',
      what: 'took the right of an administrator away, as its time was over',
      target: line.host,
      before: own.account,
      after: 'nobody',
    })
  }
}

/** A desktop that was built in this time is new; what is older was there before anybody asked. */
const NEW_MS = 24 * 3_600_000

/** The person whom a newly built desktop is assigned to gets the right that policies give them there, once. Assigned to nobody yet: it waits until it is. */
export async function giveRightsAtBuild({ database, fleet, now }: Pick<Context, 'database' | 'fleet' | 'now'>): Promise<void> {
  const built = await database.query<{ id: string }>('select id from hosts where built_ms > $1 and not build_tended and assigned is not null', [
    now() - NEW_MS,
  ])
  if (built.length === 0) return
  const lines = await adminLines(database, now())
  for (const { id } of built) {
    const found = lines.find(({ line }) => line.host === id)
    if (found?.line.state === 'to be given') {
      await fleet.setAdmin(id, found.host.assigned)
      await fleet.fetchNow(id)
      await writeJournal(database, {
        atMs: now(),
        who: 'Ikebana',
        what: 'made somebody administrator of their own desktop, as it was built',
        target: id,
        before: 'nobody',
        after: found.host.assigned ?? '',
      })
    }
    await database.query('update hosts set build_tended = true where id = $1', [id])
  }
}

/** Every desktop on which somebody is administrator, or should be. */
async function adminLines(database: Queryable, nowMs: number): Promise<{ line: AdminLine; host: AdminHost }[]> {
  const [rows, org, versions] = await Promise.all([
    database.query<{
      host: string
      pool: string | null
      zone: string | null
      image: string | null
      assigned: string | null
      admins: ReportedAdmin[]
    }>('select id as host, pool, zone, image, assigned, admins from hosts order by id'),
    loadOrg(database),
    versionsOf(database),
  ])
  const fixed = new Set(org.pools.filter(({ binding }) => binding === 'fixed').map(({ id }) => id))
  const ready = factsOf(org)
  return rows.flatMap(({ host: id, pool, zone, image, assigned, admins }) => {
    const facts = ready({
      host: id,
      pool: pool ?? undefined,
      zone: zone ?? undefined,
      image: image ?? undefined,
      person: assigned ?? undefined,
      atMs: nowMs,
    })
    const { settings } = resolve(versions.compiled(versions.at(id, facts.groups)), facts)
    const value = (name: string) => settings.find(({ setting }) => setting === name)?.value ?? settingOf(name)?.default
    const hours = value('localAdministratorHours')
    const wish: AdminWish = {
      value: value('localAdministrator') === 'assigned' ? 'assigned' : 'nobody',
      hours: typeof hours === 'number' ? hours : Infinity,
    }
    const host: AdminHost = { host: id, pool: pool ?? '', assigned, fixed: fixed.has(pool ?? ''), reported: admins }
    const verdict: AdminVerdict = adminVerdict(host, wish, nowMs)
    if (admins.length === 0 && wish.value === 'nobody') return []
    return [
      {
        host,
        line: {
          host: id,
          pool: pool ?? '',
          assigned,
          state: verdict.state,
          sentence: verdict.sentence,
          now: [...verdict.now],
          wide: [...verdict.wide],
        },
      },
    ]
  })
}
