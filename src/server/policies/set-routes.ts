import { stringify } from 'yaml'
import { Problem } from '../../contract/errors'
import type { PoliciesPage } from '../../contract/policies'
import { compareSets, compile, factsOf, readContext, readSet, resolve, writable, type SessionFacts } from '../../core/policies'
import { writeJournal } from '../journal/store'
import { loadOrg } from '../logons/model'
import type { Context, Handlers } from '../shell/context'
import { logonEffects } from './effects'
import { keepDraft, readDraft, rebaseDraft, takeSet } from './drafts'
import type { LookDesk } from './look-desk'
import { keepChanges } from '../journal/changes'
import { beginRollout, readRollout, refuseBroken, refuseWhileRolling, stepRollout, waveChange, wavesOf } from './rollouts'
import { allVersions, currentSet, keepVersion, setOf, versionsOf } from './sets'
import { factsOfAttempt, factsOfSession } from './sessions'
import { seenLately } from './stretches'

type Names =
  | 'policies'
  | 'policyLook'
  | 'policyEffects'
  | 'policyDraft'
  | 'policyDraftEnd'
  | 'policyDraftReview'
  | 'policyDraftRebase'
  | 'policiesPublish'
  | 'rolloutStep'
  | 'policyVersions'
  | 'policyRestore'
  | 'policyCompare'
  | 'policiesExport'
  | 'policyTry'
  | 'policyWhyNot'
  | 'policyFactsOf'

/** The set of policies: its draft, what it would change, how it is published. */
export function setHandlers(context: Context, desk: LookDesk): Handlers<Names> {
  const { database, evidence, live, now } = context
  const page = () => readPage(context)
  const journal = (who: string, what: string, before: string, after: string) =>
    writeJournal(database, { atMs: now(), who, what, target: 'policies', before, after })
  /** The draft where it is wanted and there is one; else what is in force. */
  const wanted = async (draft: boolean) => (draft ? ((await readDraft(database))?.set ?? null) : null)
  return {
    policies: page,
    async policyLook({ input: { body } }) {
      const { set: before } = await currentSet(database)
      const { set, faults } = body.set === null ? { set: before, faults: readSet(before).faults } : readSet(body.set)
      const found = await desk.look(before, set)
      const wrong = faults.filter(({ weight }) => weight === 'wrong').length
      return { faults, ...found, stopped: wrong ? `${wrong === 1 ? 'One entry is' : `${wrong} entries are`} not understood.` : found.stopped }
    },
    async policyEffects({ input: { body } }) {
      const { set: before } = await currentSet(database)
      const { set } = readSet(body.set)
      const { changes } = await desk.look(before, set)
      return { effects: await logonEffects(database, context.evidence, changes, set, now()) }
    },
    async policyDraft({ input: { body }, caller }) {
      const known = await readDraft(database)
      await keepDraft(database, takeSet(body.set, body.parts), known?.basedOn ?? body.basedOn, caller.name, now())
      if (!known) await journal(caller.name, 'began a draft of the policies', '', `based on version ${body.basedOn}`)
      live.tell('policy')
      return page()
    },
    async policyDraftEnd({ caller }) {
      const draft = await readDraft(database)
      await database.query('delete from policy_draft')
      if (draft)
        await journal(caller.name, 'threw the draft of the policies away', `draft of ${draft.author}, based on version ${draft.basedOn}`, 'none')
      live.tell('policy')
      return { ok: true }
    },
    async policyDraftReview({ input: { body }, caller }) {
      if (!(await readDraft(database))) throw new Problem('draft.none')
      await database.query('update policy_draft set review = $1', [body.asked ? caller.name : null])
      await journal(
        caller.name,
        body.asked ? 'asked for a review of the draft of the policies' : 'took the draft of the policies back from review',
        '',
        '',
      )
      live.tell('policy')
      return page()
    },
    async policyDraftRebase({ caller }) {
      const conflicts = await rebaseDraft(database, caller.name, now())
      await journal(
        caller.name,
        'brought the draft of the policies up to date',
        '',
        conflicts.length ? `kept on both sides’ changes: ${conflicts.join(', ')}` : 'no conflict',
      )
      live.tell('policy')
      return { conflicts: [...conflicts], page: await page() }
    },
    async policiesPublish({ input: { body }, caller }) {
      await refuseWhileRolling(database)
      const [draft, newest] = await Promise.all([readDraft(database), currentSet(database)])
      if (!draft) throw new Problem('draft.none')
      if (draft.basedOn !== newest.version)
        throw new Problem('policy.outdated', `Version ${newest.version} was published by ${newest.author}. Bring the draft up to date first.`)
      const set = takeSet(draft.set, 'all')
      const changed = compareSets(newest.set, set)
      if (changed.length === 0) throw new Problem('remedy.none', 'Nothing differs from the version in force.')
      await refuseBroken(desk, set)
      const waves = await wavesOf(database, body.waves, body.firstGroup ?? null)
      const version = newest.version + 1
      if (!(await keepVersion(database, version, set, caller.name, now(), body.note || null))) throw new Problem('policy.outdated')
      if (waves.length > 1) await beginRollout(context, version, newest.version, caller.name, waves, body.pauseMinutes * 60_000)
      await database.query('delete from policy_draft')
      const say = (side: 'before' | 'after') =>
        changed
          .slice(0, 40)
          .map((one) => `${one.name}${one.what ? `, ${one.what}` : ` ${one.kind}`}: ${one[side] || '–'}`)
          .join('; ')
      await journal(
        caller.name,
        `published version ${version} of the policies${waves.length > 1 ? ` in ${waves.length} waves` : ''}`,
        say('before'),
        say('after'),
      )
      await keepChanges(
        database,
        [waveChange(version, waves[0] ?? null, caller.name, now(), [...new Set(changed.map(({ name }) => name))].slice(0, 8).join(', '))],
        now(),
      )
      await evidence.refresh()
      live.tell('policy')
      return page()
    },
    async rolloutStep({ input: { body }, caller }) {
      await stepRollout(context, body.what, caller.name)
      return page()
    },
    async policyVersions() {
      const [list, rollouts] = await Promise.all([
        allVersions(database, 51),
        database.query<{ version: number; state: string; reached: number; n: number }>(
          'select version, state, reached, jsonb_array_length(waves) as n from rollouts',
        ),
      ])
      return {
        versions: list.slice(0, 50).map(({ set, ...one }, i) => {
          const rollout = rollouts.find(({ version }) => version === one.version)
          const before = list[i + 1]
          return {
            ...one,
            state:
              rollout?.state === 'back'
                ? 'taken back'
                : rollout && rollout.state !== 'done'
                  ? `${rollout.reached} of ${rollout.n} waves`
                  : i === 0
                    ? 'in force'
                    : '',
            differences: before ? compareSets(before.set, set) : [],
          }
        }),
      }
    },
    async policyRestore({ input: { params }, caller }) {
      const [earlier, newest] = await Promise.all([setOf(database, params.version), currentSet(database)])
      if (!earlier) throw new Problem('not-found', 'No version has this number.')
      await keepDraft(database, earlier.set, newest.version, caller.name, now())
      await journal(caller.name, `took version ${params.version} of the policies as the draft`, '', `based on version ${newest.version}`)
      live.tell('policy')
      return page()
    },
    async policyCompare({ input: { query } }) {
      const [from, to] = await Promise.all([setOf(database, query.from), setOf(database, query.to)])
      if (!from || !to) throw new Problem('not-found', 'No version has this number.')
      return { differences: compareSets(from.set, to.set) }
    },
    async policiesExport({ input: { query }, reply }) {
      const found = query.version === undefined ? await currentSet(database) : await setOf(database, query.version)
      if (!found) throw new Problem('not-found', 'No version has this number.')
      const body = writable(found.set)
      const yaml = query.format === 'yaml'
      return reply
        .type(yaml ? 'application/yaml; charset=utf-8' : 'application/json; charset=utf-8')
        .header('content-disposition', `attachment; filename="policies-${found.version}.${query.format}"`)
        .send(yaml ? stringify(body) : `${JSON.stringify(body, null, 2)}\n`)
    },
    async policyTry({ input: { body } }) {
      const facts = taken(body.facts, now())
      const [draft, org, versions] = await Promise.all([wanted(body.draft), loadOrg(database), versionsOf(database)])
      const ready = factsOf(org)(facts)
      const version = versions.at(facts.host ?? '', ready.groups)
      return {
        version: draft ? null : version.version,
        facts: { ...facts },
        effective: resolve(draft ? compile(draft) : versions.compiled(version), ready),
      }
    },
    async policyWhyNot({ input: { body } }) {
      const facts = taken(body.facts, now())
      const set = (await wanted(body.draft)) ?? (await currentSet(database)).set
      if (!set.policies.some(({ id }) => id === body.policy)) throw new Problem('not-found', 'No policy has this id.')
      return desk.whyNot(set, facts, body.policy, body.setting)
    },
    async policyFactsOf({ input: { query } }) {
      const facts = query.attempt
        ? await factsOfAttempt(database, query.attempt)
        : query.session
          ? await factsOfSession(database, query.session)
          : null
      if (!facts) throw new Problem('not-found', 'No attempt or session has this id.')
      return { facts: { ...facts } }
    },
  }
}

function taken(given: Record<string, unknown>, nowMs: number): SessionFacts {
  const reading = readContext(given, nowMs)
  if (!reading.ok) throw new Problem('request.invalid', reading.sentence)
  return reading.facts
}

async function readPage({ database }: Context): Promise<PoliciesPage> {
  const [newest, draft, rollout, org, lately] = await Promise.all([
    currentSet(database),
    readDraft(database),
    readRollout(database),
    loadOrg(database),
    seenLately(database),
  ])
  const set = draft?.set ?? newest.set
  const distinct = (names: readonly (string | null | undefined)[]) =>
    [...new Set(names)].filter((name): name is string => typeof name === 'string' && name !== '').sort()
  return {
    version: newest.version,
    publishedMs: newest.publishedMs,
    author: newest.author,
    set: newest.set,
    draft,
    rollout,
    people: org.people.filter(({ enabled }) => enabled !== false).length,
    known: {
      group: distinct([...org.groups.map(({ id }) => id), ...org.people.flatMap(({ groups }) => groups ?? [])]),
      pool: distinct(org.pools.map(({ id }) => id)),
      host: distinct(org.hosts.map(({ id }) => id)),
      zone: distinct(org.hosts.map(({ zone }) => zone)),
      image: distinct(org.hosts.map(({ image }) => image)),
      person: distinct(org.people.filter(({ enabled }) => enabled !== false).map(({ id }) => id)),
      network: distinct([...set.networks.map(({ id }) => id), ...lately.networks]),
      clientKind: distinct(lately.clientKinds),
      timeZone: ['Europe/Copenhagen', 'UTC'],
    },
  }
}
