import { describe, expect, it } from 'vitest'
import type { Org } from '../people/org'
import { correlate, place, type Attempt } from './index'
import { logon, START_MS } from './fixtures/builders'

const org: Org = {
  people: [{ id: 'p007', accounts: ['LARKMERE\\mara'] }],
  groups: [],
  pools: [{ id: 'halls' }],
  hosts: [{ id: 'TH-1.larkmere.example', pool: 'halls', zone: 'Q1', image: 'i-7' }],
  containers: [{ person: 'p007', share: 'quay' }],
}
const attempt = (options: Parameters<typeof logon>[0]): Attempt => {
  const [first] = correlate(logon(options), START_MS + 3_600_000)
  if (!first) throw new Error('no attempt')
  return first.attempt
}

describe('where an attempt was', () => {
  it('is filled in from the organisation where evidence does not say it, and only there', () => {
    expect(place(attempt({ host: 'th-1', attrs: { zone: 'Q2' } }), org)).toMatchObject({
      person: 'p007',
      host: 'TH-1.larkmere.example',
      pool: 'ticket-hall',
      attrs: { zone: 'Q2', image: 'i-7', share: 'quay' },
    })
    expect(place(attempt({ person: 'P007', host: 'TH-1', attrs: { share: 'hill' } }), org)).toMatchObject({
      person: 'p007',
      attrs: { share: 'hill', zone: 'Q1' },
    })
  })

  it('is as evidence says it where the organisation knows nothing of it', () => {
    const unknown = attempt({ person: 'jonas', host: 'TH-9.other.example' })
    expect(place(unknown, org)).toBe(unknown)
  })

  it('is one host by whatever name it was reported', () => {
    const names = ['TH-1', 'th-1.larkmere.example', 'TH-1.LARKMERE.EXAMPLE'].map((host) => place(attempt({ host }), org).host)
    expect(new Set(names)).toEqual(new Set(['TH-1.larkmere.example']))
  })
})
