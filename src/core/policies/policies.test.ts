import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readLocation } from './location'
import { differences, FILE_ROAMING, prove, type BaseSettings } from './settings'

describe('a location', () => {
  it.each([
    [String.raw`\\Quay-FS1\profiles`, String.raw`\\quay-fs1\profiles`],
    ['//quay-fs1/profiles/2026/', String.raw`\\quay-fs1\profiles\2026`],
    [String.raw`  \\quay-fs1\\profiles\%person%\ `, String.raw`\\quay-fs1\profiles\%person%`],
    [String.raw`\\10.0.0.7\p$`, String.raw`\\10.0.0.7\p$`],
  ])('%s is brought into its plain form', (written, path) => {
    expect(readLocation(written)).toEqual({ ok: true, path })
  })

  it.each([
    ['', 'location.blank'],
    ['   ', 'location.blank'],
    ['https://quay-fs1/profiles', 'location.web-address'],
    ['file:///share', 'location.web-address'],
    [String.raw`C:\profiles`, 'location.local-path'],
    ['quay-fs1', 'location.not-a-share'],
    [String.raw`\\quay-fs1`, 'location.not-a-share'],
    [String.raw`\\quay-fs1\p\%nickname%`, 'location.token'],
    [String.raw`\\quay-fs1\p\50%`, 'location.token'],
    [String.raw`\\quay-fs1\p\..\q`, 'location.character'],
    [String.raw`\\quay-fs1\a*b`, 'location.character'],
  ])('%j is refused with a sentence that says how it should look', (written, code) => {
    const reading = readLocation(written)
    expect(reading).toMatchObject({ ok: false, code })
    if (!reading.ok) expect(reading.sentence).toContain(String.raw`\\server\share\folder`)
  })

  it('reads its own plain form as the same', () => {
    fc.assert(
      fc.property(fc.string(), (written) => {
        const reading = readLocation(written)
        if (reading.ok) expect(readLocation(reading.path)).toEqual(reading)
      }),
    )
    const name = fc.stringMatching(/^[a-z0-9_-]{1,12}$/)
    fc.assert(
      fc.property(name, fc.array(name, { minLength: 1, maxLength: 4 }), (server, parts) => {
        expect(readLocation(`\\\\${server.toUpperCase()}\\${parts.join('\\')}`)).toEqual({ ok: true, path: `\\\\${server}\\${parts.join('\\')}` })
      }),
    )
  })
})

describe('proof', () => {
  const should: BaseSettings = {
    containers: 'on',
    locations: ['\\\\a\\b'],
    sizeLimitMib: 1024,
    diskFormat: 'vhdx-dynamic',
    onFailure: 'refuse',
    locationsMode: 'in-order',
    locationsRequired: 1,
    fileRoaming: FILE_ROAMING,
    pathRules: [],
    slowSeconds: 45,
    slowSecondsByPool: { x: 90, y: 60 },
  }

  it('says what a host reports against what it should have', () => {
    expect(prove(should, null).state).toBe('never reported')
    expect(prove(should, { version: 1, inForce: should, pending: [] })).toEqual({ state: 'as it should be', differences: [] })
    const drifted = prove(should, { version: 1, inForce: { ...should, locations: [] }, pending: [] })
    expect(drifted).toMatchObject({ state: 'differs', differences: [{ setting: 'locations', before: 'none', after: '\\\\a\\b' }] })
    expect(prove(should, { version: 1, inForce: { ...should, diskFormat: 'vhdx-fixed' }, pending: ['diskFormat'] }).state).toBe('restart needed')
    expect(
      prove(should, { version: 1, inForce: { ...should, diskFormat: 'vhdx-fixed', onFailure: 'temporary' }, pending: ['diskFormat'] }).state,
    ).toBe('differs')
  })

  it('does not take another order of names for a difference, nor what only Ikebana uses', () => {
    expect(differences(should, { ...should, slowSecondsByPool: { y: 60, x: 90 } })).toEqual([])
    expect(prove(should, { version: 1, inForce: { ...should, slowSeconds: 1 }, pending: [] }).state).toBe('as it should be')
    expect(differences(should, { ...should, containers: 'off' })).toEqual([
      { setting: 'containers', title: 'Containers', before: 'on', after: 'off', needsRestart: true },
    ])
  })
})
