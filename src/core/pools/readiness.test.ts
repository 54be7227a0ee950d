import { describe, expect, it } from 'vitest'
import { FILE_ROAMING, type BaseSettings } from '../policies'
import { poolReadiness, type HostFacts } from '.'

const NOW = Date.UTC(2026, 10, 23, 12)
const should: BaseSettings = {
  containers: 'on',
  locations: ['\\\\quay-fs1\\profiles'],
  sizeLimitMib: 30_720,
  diskFormat: 'vhdx-dynamic',
  onFailure: 'refuse',
  locationsMode: 'in-order',
  locationsRequired: 1,
  fileRoaming: FILE_ROAMING,
  pathRules: [],
  slowSeconds: 45,
  slowSecondsByPool: {},
}
const host = (name: string, over: Partial<HostFacts> = {}): HostFacts => ({
  host: name,
  zone: 'Q1',
  image: 'ticket-hall 7',
  agentVersion: '1.4.0',
  report: { version: 3, inForce: should, pending: [] },
  reportedMs: NOW - 60_000,
  draining: false,
  sessions: 4,
  leftovers: [],
  ...over,
})
const codes = (over: Partial<HostFacts>, containers = true) =>
  poolReadiness([host('A'), host('B'), host('C', over)], () => should, containers, NOW).hosts[2]

describe('whether hosts are ready', () => {
  it('all of them, where nothing differs', () => {
    expect(poolReadiness([host('A'), host('B')], () => should, true, NOW)).toMatchObject({ ready: 2, verdict: 'All 2 hosts are ready.', unlike: [] })
    expect(poolReadiness([], () => should, true, NOW).verdict).toBe('It has no hosts.')
  })

  it.each<[string, Partial<HostFacts>, boolean]>([
    ['never-reported', { report: null, reportedMs: null }, false],
    ['silent', { reportedMs: NOW - 6 * 60_000 }, false],
    ['differs', { report: { version: 3, inForce: { ...should, locations: [] }, pending: [] } }, false],
    ['restart', { report: { version: 4, inForce: { ...should, diskFormat: 'vhdx-fixed' }, pending: ['diskFormat'] } }, false],
    ['leftover', { leftovers: [{ person: 'mara', bytes: 1e9, lastUsedMs: null }] }, false],
    ['agent', { agentVersion: '1.3.9' }, false],
    ['image', { image: 'ticket-hall 6' }, true],
    ['draining', { draining: true }, true],
  ])('%s', (code, over, ready) => {
    expect(codes(over)).toMatchObject({ ready, toDo: [{ code }] })
  })

  it("a leftover is in nobody's way where no containers are used", () => {
    expect(codes({ leftovers: [{ person: 'mara', bytes: 1, lastUsedMs: null }] }, false)?.toDo).toEqual([])
  })

  it('lays the values that are not the same side by side, the commonest first', () => {
    const { unlike, verdict } = poolReadiness(
      [host('A'), host('B'), host('C', { agentVersion: '1.3.9', report: { version: 3, inForce: { ...should, sizeLimitMib: 10_240 }, pending: [] } })],
      () => should,
      true,
      NOW,
    )
    expect(unlike).toEqual([
      {
        what: 'Size limit of a container',
        values: [
          { value: '30 GiB', hosts: ['A', 'B'] },
          { value: '10 GiB', hosts: ['C'] },
        ],
      },
      {
        what: 'Agent',
        values: [
          { value: '1.4.0', hosts: ['A', 'B'] },
          { value: '1.3.9', hosts: ['C'] },
        ],
      },
    ])
    expect(verdict).toBe('2 of 3 hosts are ready; 1 unlike the policy, 1 with another agent.')
  })
})
