import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import { findIncidents } from '../incidents'
import { Ledger, seenOf } from '../ledger'

const USUAL = { broker: 300, connect: 400, 'sign-on': 900, container: 800, profile: 600, policy: 700, shell: 2000 }
const MINUTE_MS = 60_000

type Trouble = (pool: string, host: string) => Parameters<typeof logon>[0] | null

/** Two logons a minute on two pools, well for six hours before the trouble, and after it: of each is told on which host it was and how long its phases took, and nothing else. */
function told(trouble: Trouble, always: (i: number) => Parameters<typeof logon>[0] = () => ({}), minutes = 120, policyParts = 0) {
  const observations = Array.from({ length: 1680 }, (_, i) => {
    const [pool, hosts] = i % 4 === 0 ? (['lab', 6] as const) : (['ward', 12] as const)
    const host = `${pool}-${(i * 7) % hosts}`
    const at = START_MS + (i - 720) * (MINUTE_MS / 2)
    const wrong = at >= START_MS && at < START_MS + minutes * MINUTE_MS ? trouble(pool, host) : always(i)
    const phases = Object.fromEntries(
      Object.entries({ ...USUAL, ...wrong?.phases }).map(([phase, ms], k) => [phase, ms * (0.85 + (((i * 13 + k * 5) % 11) / 10) * 0.3)]),
    )
    const logged = logon({ id: `l${i}`, person: `p${i % 130}`, pool, host, at, ...wrong, phases })
    const parts = logged
      .filter((one) => one.phase === 'policy')
      .flatMap((policy) => {
        const durationMs = (policy.durationMs ?? 0) / policyParts
        return Array.from({ length: policyParts }, (_, k) => ({ ...policy, timeMs: policy.timeMs + k * durationMs, part: `part-${k}`, durationMs }))
      })
    return [...logged, ...parts]
  }).flat()
  const explained = analyseAll(correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
  const ledger = new Ledger()
  for (const one of explained) ledger.add(seenOf(one))
  const causes: Record<string, number> = {}
  const said = explained.flatMap(({ diagnosis }) => diagnosis.cause ?? [])
  for (const { id } of said) causes[id] = (causes[id] ?? 0) + 1
  const incidents = findIncidents(ledger).incidents.map(({ cause, scope, attempts }) => [
    cause,
    scope.map(({ dimension, value }) => `${dimension} ${value}`).join(),
    attempts,
  ])
  return {
    causes,
    incidents,
    said: new Set(said.map(({ sentence }) => sentence)),
    confidences: said.map(({ confidence }) => confidence),
    beside: new Set(explained.flatMap(({ diagnosis }) => diagnosis.others.flatMap(({ id, beside }) => (beside ? [id] : [])))),
    evidence: said.flatMap(({ evidence }) => evidence.map(({ sentence }) => sentence)),
  }
}

describe('where hardly anything is told of a logon', () => {
  it('the directory is slow where everybody waits for it, wherever they are, from the first to the last of them', () => {
    const { causes, incidents, said, evidence } = told(() => ({ phases: { 'sign-on': 13_000 } }))
    expect(causes).toEqual({ 'directory-slow': 240 })
    expect(incidents).toEqual([['directory-slow', '', 240]])
    expect([...said]).toEqual(['The directory answers slowly: each question takes long.'])
    expect(
      evidence.some((sentence) => /^Of the \d+ nearest logons, wherever they were, \d+ on \d+ hosts were slow in sign-on\.$/.test(sentence)),
    ).toBe(true)
  })

  it('so is the storage for profiles; or that of a pool, where the others are quick', () => {
    const all = told(() => ({ phases: { container: 26_000 } }))
    expect(all.causes).toEqual({ 'share-slow': 240 })
    expect(all.incidents).toEqual([['share-slow', '', 240]])
    expect(all.beside.size).toBe(0)
    expect([...all.said]).toEqual(['The storage for profiles answers slowly.'])
    const one = told((pool) => (pool === 'lab' ? { phases: { container: 26_000 } } : null))
    expect(one.causes).toEqual({ 'share-slow': 60 })
    expect(one.incidents).toEqual([['share-slow', 'pool lab', 60]])
  })

  it('a share that does not answer those of a pool is one incident of the pool, not one of each host', () => {
    const { causes, incidents } = told((pool) =>
      pool === 'lab'
        ? { phases: { container: 500, profile: 0, policy: 0, shell: 0 }, outcome: 'failed', marks: [['0xC00000BE', 'container', 2000]] }
        : null,
    )
    expect(causes).toEqual({ 'share-unreachable': 60 })
    expect(incidents).toEqual([['share-unreachable', 'pool lab', 60]])
  })

  it('the directory is slow for the hosts of a site that nobody names: what a third of the hosts have is of none of them', () => {
    const isThere = (host: string) => Number(host.split('-')[1]) % 3 === 0
    const slow = { phases: { 'sign-on': 8000, policy: 14_000 } }
    const { causes } = told((_, host) => (isThere(host) ? slow : null), undefined, undefined, 6)
    expect(Object.keys(causes)).toEqual(['directory-slow'])
    expect(causes['directory-slow']).toBeGreaterThanOrEqual(70)
  })

  it('no host is overloaded on which one phase is slow, and the others take what is usual', () => {
    const { causes } = told((_, host) => (host === 'ward-3' || host === 'lab-1' ? { phases: { profile: 15_000 } } : null))
    expect(causes['host-overloaded']).toBeUndefined()
  })

  it('hosts of one name and numbers are of one pool where nobody says which', () => {
    const observations = Array.from({ length: 400 }, (_, i) => {
      const isSlow = i > 200 && i % 4 < 2
      return logon({
        id: `l${i}`,
        person: `p${i % 90}`,
        host: `${i % 4 < 2 ? 'WARD' : 'LAB'}-${(i * 7) % 5}.hill.example`,
        at: START_MS + i * MINUTE_MS,
        phases: { ...USUAL, scripts: (isSlow ? 30_000 : 1500) + (i % 7) * 40 },
      }).map((one) => ({ ...one, pool: undefined }))
    }).flat()
    const explained = analyseAll(correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
    expect(new Set(explained.map(({ attempt }) => attempt.pool))).toEqual(new Set(['WARD*', 'LAB*']))
    const causes = explained.flatMap(({ diagnosis }) => diagnosis.cause?.id ?? [])
    expect([new Set(causes), causes.length]).toEqual([new Set(['script-slow']), 99])
  })

  it('a host is overloaded where all that it does takes several times as long, also where nobody reports its processors', () => {
    const { causes, incidents, evidence } = told((_, host) =>
      host === 'ward-3' ? { phases: Object.fromEntries(Object.entries(USUAL).map(([phase, ms]) => [phase, 2.5 * ms])) } : null,
    )
    expect(causes).toEqual({ 'host-overloaded': 20 })
    expect(incidents).toEqual([['host-overloaded', 'host ward-3', 20]])
    expect(evidence.find((sentence) => sentence.startsWith('All 5 phases'))).toMatch(
      /^All 5 phases on the host took longer than usual: \d\.\d to \d\.\d times\.$/,
    )
  })

  it('those are relayed who mostly go direct, also where meanwhile nobody from there does', () => {
    const { causes, incidents, evidence } = told(
      () => ({ attrs: { network: 'campus', transport: 'relay' }, phases: { connect: 9000 } }),
      () => ({ attrs: { network: 'campus', transport: 'direct' } }),
      360,
    )
    expect(causes).toEqual({ 'relay-path': 720 })
    expect(incidents.map(([cause, , attempts]) => [cause, attempts])).toEqual([['relay-path', 720]])
    expect(evidence.some((sentence) => /^Most from campus go direct ordinarily; now \d+ of the \d+ others were relayed\.$/.test(sentence))).toBe(true)
  })

  it('a line is poor that is far from what most have, also where more than one in twenty are', () => {
    const isPoor = (i: number) => i % 12 === 5
    const { causes } = told(
      () => null,
      (i) =>
        isPoor(i)
          ? { attrs: { network: 'home', rttMs: 300 + (i % 7) * 30, bandwidthKbps: 300 }, phases: { connect: 8000, shell: 9000 } }
          : { attrs: { network: 'home', rttMs: 35 + (i % 5), bandwidthKbps: 9000 } },
    )
    expect(causes).toEqual({ 'poor-line': 120 })
  })

  it('a profile has very much in it, and many programs start, also where more than one in twenty have as much', () => {
    const much = (i: number) => i % 13 === 5
    const profiles = told(
      () => null,
      (i) => ({
        attrs: {
          profileType: 'files',
          ...(much(i) ? { profileBytes: 5e9 + (i % 5) * 1e9, profileFiles: 40_000 } : { profileBytes: 15e7, profileFiles: 900 }),
        },
        ...(much(i) ? { phases: { profile: 25_000 } } : {}),
      }),
      0,
    )
    expect(profiles.causes).toEqual({ 'bloated-profile': 129 })
    const programs = told(
      () => null,
      (i) => (much(i) ? { attrs: { autostart: 14 + (i % 5) }, phases: { shell: 21_000 } } : { attrs: { autostart: 2 } }),
      0,
    )
    expect(programs.causes).toEqual({ 'autostart-heavy': 129 })
  })

  it("a share that nobody names has hardly any room: that is everybody's, and not one after another's", () => {
    const { causes, incidents } = told(
      // Those of one of three shares.
      (pool, host) =>
        Number(host.split('-')[1]) % 3 === 0
          ? { attrs: { shareFreeBytes: 2e9 }, phases: { container: 9000, profile: 5000 } }
          : { attrs: { shareFreeBytes: 9e11 } },
      () => ({ attrs: { shareFreeBytes: 9e11 } }),
      360,
    )
    expect(causes).toEqual({ 'near-full': 240 })
    expect(incidents).toEqual([['near-full', '', 240]])
  })

  it('scripts are slow, or policy, also where no part of them is named: those of a pool, not those of one person', () => {
    const scripts = told(
      (pool) => (pool === 'lab' ? { phases: { scripts: 16_000 } } : null),
      (i) => ({ phases: { scripts: i % 301 === 7 ? 16_000 : 700 } }),
    )
    expect(scripts.causes).toEqual({ 'script-slow': 60 })
    expect(scripts.incidents).toEqual([['script-slow', 'pool lab', 60]])
    expect([...scripts.said]).toEqual(['Something in scripts takes long; which script, nobody records.'])
    const policy = told((pool) => (pool === 'lab' ? { phases: { policy: 16_000 } } : null))
    expect(policy.causes).toEqual({ 'policy-part-slow': 60 })
    // Half of a pool has another image: then it is that.
    const image = told(
      (pool, host) =>
        pool === 'ward' && Number(host.slice(5)) % 2 === 0
          ? { attrs: { image: 'ward 8' }, phases: { policy: 12_000 } }
          : { attrs: { image: `${pool} 7` } },
      () => ({ attrs: { image: 'ward 7' } }),
    )
    expect(Object.keys(image.causes)).toEqual(['image-regression'])
    expect(image.incidents.map(([cause, scope]) => [cause, scope])).toEqual([['image-regression', 'image ward 8']])
  })

  it('two troubles at once, half of the time each, are both told: the one does not gainsay the other', () => {
    const heavy = (host: string) => host.endsWith('-4')
    const { causes, evidence } = told(
      (pool, host) => ({
        attrs: { autostart: heavy(host) ? 14 : 3 },
        phases: pool === 'lab' ? { container: 14_000, ...(heavy(host) ? { shell: 15_000 } : {}) } : {},
      }),
      () => ({ attrs: { autostart: 3 } }),
    )
    // A third of the sixty have many programs.
    expect((causes['autostart-heavy'] ?? 0) + (causes['share-slow'] ?? 0)).toBe(60)
    expect(evidence.some((sentence) => /^It explains \d\d % of the time beyond the usual; for the rest there is: /.test(sentence))).toBe(true)
  })

  it('three troubles at once are told, too: first the one that took most', () => {
    const { causes, evidence, beside, confidences } = told(
      (pool) =>
        pool === 'lab'
          ? {
              attrs: { autostart: 14 },
              marks: [['scanner.active', 'container', 3000]],
              phases: { container: 12_000, packages: 19_000, shell: 16_000 },
            }
          : { attrs: { autostart: 3 }, phases: { packages: 900 } },
      () => ({ attrs: { autostart: 3 }, phases: { packages: 900 } }),
    )
    expect(Object.values(causes).reduce((sum, n) => sum + n, 0)).toBe(60)
    expect(causes['packages-slow']).toBeGreaterThanOrEqual(45)
    expect(
      evidence.some((sentence) =>
        /for the rest there is: (a scanner|attaching|many)[a-z ]+, and (a scanner|attaching|many)[a-z ]+\.$/.test(sentence),
      ),
    ).toBe(true)
    // None takes the others' belief.
    expect(Math.min(...confidences)).toBeGreaterThan(0.85)
    expect(beside).toContain('scanner')
    expect(beside).toContain('autostart-heavy')
  })

  it('and where two or three of them still go direct, who are quick', () => {
    const isOfCampus = (i: number) => i % 12 === 0
    const { causes } = told(
      () => null,
      (i) => {
        const isRelayed = isOfCampus(i) && i >= 720 && i % 96 !== 0
        return {
          attrs: { network: isOfCampus(i) ? 'campus' : 'office', transport: isRelayed ? 'relay' : 'direct' },
          ...(isRelayed ? { phases: { connect: 9000 } } : {}),
        }
      },
      0,
    )
    expect(Object.keys(causes)).toEqual(['relay-path'])
    expect(causes['relay-path']).toBeGreaterThan(65)
  })

  it('a directory that is slow at a site is told by the share that stands for it, where nobody tells of sites', () => {
    const shareOf = (host: string) => `\\\\fs${Number(host.split('-')[1]) % 3}\\p`
    const hostOf = (i: number) => (i % 4 === 0 ? `lab-${(i * 7) % 6}` : `ward-${(i * 7) % 12}`)
    const { causes, incidents } = told(
      (_, host) => ({ attrs: { share: shareOf(host) }, ...(shareOf(host).includes('fs1') ? { phases: { 'sign-on': 7000, policy: 12_000 } } : {}) }),
      (i) => ({ attrs: { share: shareOf(hostOf(i)) } }),
    )
    expect(causes['directory-slow']).toBeGreaterThan(75)
    expect(Object.keys(causes)).toEqual(['directory-slow'])
    expect(incidents.map(([cause, scope]) => [cause, scope])).toEqual([['directory-slow', String.raw`share \\fs1\p`]])
  })

  it('what is slow on a new image is not told of the zones that only its agent reports', () => {
    const number = (host: string) => Number(host.split('-')[1])
    const { causes, incidents } = told(
      (pool, host) =>
        pool === 'ward' && number(host) < 6
          ? { phases: { policy: 12_000 }, attrs: { image: 'ward.2', zone: number(host) % 2 === 0 ? 'north' : 'south' } }
          : null,
      () => ({}),
      360,
      5,
    )
    expect(causes['image-regression']).toBeGreaterThan(200)
    expect(Object.keys(causes)).toEqual(['image-regression'])
    expect(incidents[0]?.slice(0, 2)).toEqual(['image-regression', 'image ward.2'])
  })
})
