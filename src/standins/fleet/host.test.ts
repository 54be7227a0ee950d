import { describe, expect, it } from 'vitest'
import type { Settings } from '../../contract/other'
import { Host } from './host'

const settings = (more: Partial<Settings> = {}) =>
  ({ containers: 'on', diskFormat: 'vhdx-dynamic', sizeLimitMib: 30_720, onFailure: 'refuse', locations: ['a'], ...more }) as Settings
const host = () => new Host({ id: 'H-1', pool: 'p', zone: 'Q1', image: 'i' })

describe('what a host has in force', () => {
  it('is all that it fetched first, and from then on waits for a start where it must', () => {
    const one = host()
    one.fetch(1, settings())
    expect([one.inForce, one.pending]).toEqual([settings(), []])
    one.fetch(2, settings({ sizeLimitMib: 40_960, diskFormat: 'vhdx-fixed' }))
    expect(one.inForce).toEqual(settings({ sizeLimitMib: 40_960 }))
    expect(one.pending).toEqual(['diskFormat'])
    one.start()
    expect([one.inForce, one.pending, one.version]).toEqual([settings({ sizeLimitMib: 40_960, diskFormat: 'vhdx-fixed' }), [], 2])
    // Taken back before it started: nothing waits any more.
    one.fetch(3, settings({ diskFormat: 'vhdx-dynamic' }))
    one.fetch(4, settings({ diskFormat: 'vhdx-fixed', sizeLimitMib: 40_960 }))
    expect(one.pending).toEqual([])
  })

  it('lacks a setting where it was built wrongly, until it is started again', () => {
    const one = host()
    one.drifted = true
    one.fetch(1, settings())
    expect(one.inForce.locations).toBeUndefined()
    one.start()
    expect(one.inForce.locations).toEqual(['a'])
  })
})
