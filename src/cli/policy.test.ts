import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { parse, stringify } from 'yaml'
import { afterAll, describe, expect, it } from 'vitest'
import { readSet, setSchema, writable } from '../core/policies'

/** The built command line, as a user calls it, on a set that stands in docs/formats/policies.md. */
const folder = mkdtempSync(join(tmpdir(), 'ikebana-policy-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli/main.js', 'policy', ...args], { encoding: 'utf8', maxBuffer: 1 << 26 })
  return { status, stdout, stderr }
}
const file = (name: string, content: string | object) => {
  const path = join(folder, name)
  writeFileSync(path, typeof content === 'string' ? content : JSON.stringify(content))
  return path
}
const doc = readFileSync('docs/formats/policies.md', 'utf8')
const blocks = [...doc.matchAll(/```(yaml|json)\n([^]*?)```/g)].map(([, , text]) => text ?? '')
const [example = '', organisation = ''] = blocks
const set = file('set.yaml', example)
const org = file('org.json', organisation)

describe('the published format', () => {
  it('is what the schema says, and the schema is made from the catalogue', () => {
    expect(readFileSync('docs/formats/policies.schema.json', 'utf8')).toBe(run('schema').stdout)
    const valid = new Ajv2020({ strict: false, validateFormats: false, unicodeRegExp: true }).compile(setSchema())
    expect([valid(parse(example)), valid.errors]).toEqual([true, null])
    expect(valid({ policies: [{ id: 'x', when: { group: ['a'], pool: ['b'] } }] })).toBe(false)
    expect(valid({ base: { idleMinutes: 'soon' } })).toBe(false)
  })

  it('is read without a fault, and written the same again, as JSON and as YAML', () => {
    const { set: read, faults } = readSet(parse(example))
    expect(faults).toEqual([])
    const text = JSON.stringify(writable(read))
    expect(JSON.stringify(writable(readSet(JSON.parse(text)).set))).toBe(text)
    expect(JSON.stringify(writable(readSet(parse(stringify(writable(read)))).set))).toBe(text)
    // The order in which settings were written does not show.
    const [first, ...rest] = Object.entries(read.base)
    expect(JSON.stringify(writable({ ...read, base: Object.fromEntries([...rest, ...(first ? [first] : [])]) }))).toBe(text)
  })
})

describe('ikebana policy', () => {
  it('says for each context every setting, its winner, and why the others lost', () => {
    const contexts = file(
      'contexts.ndjson',
      [
        '{"person":"mara","network":"home","at":"2026-11-24T06:00:00+01:00"}',
        '',
        'nonsense',
        '{"person":"mara","rttMs":"far"}',
        '{"person":"jonas","host":"D-1"}',
      ].join('\n'),
    )
    const { status, stdout, stderr } = run('effective', '--set', set, '--org', org, '--contexts', contexts)
    expect(status).toBe(0)
    expect(stderr.trim().split('\n')).toEqual([`${contexts}:3: This is no JSON.`, `${contexts}:4: rttMs is a number from 0 on.`])
    const [mara, jonas] = stdout
      .trim()
      .split('\n')
      .map(
        (line) =>
          JSON.parse(line) as {
            context: object
            settings: Record<string, { value: unknown; winner: string; losers: { policy: string; reason: string }[] }>
          },
      )
    expect(mara?.context).toEqual({ person: 'mara', network: 'home', at: '2026-11-24T06:00:00+01:00' })
    expect(mara?.settings['copyTextOut']).toMatchObject({ value: 'off', winner: 'crew-outside', losers: [{ policy: 'base', reason: 'outranked' }] })
    expect(jonas?.settings['copyTextOut']).toMatchObject({ value: 'on', winner: 'base', losers: [{ policy: 'crew-outside', reason: 'condition' }] })
  })

  it('checks a set: what is wrong where, promises, and what is odd', () => {
    const { status, stdout } = run('check', '--set', set, '--org', org)
    expect(status).toBe(0)
    expect(JSON.parse(stdout)).toMatchObject({ ok: true, faults: [], promises: [{ promise: 'crew-keeps', state: 'kept' }] })
    const bad = run('check', '--set', file('bad.json', { base: { idleMinutes: 0 }, policies: [{ id: 'a', when: { all: 1 } }] }))
    expect([bad.status, (JSON.parse(bad.stdout) as { faults: { path: string }[] }).faults.map(({ path }) => path)]).toEqual([
      1,
      ['base.idleMinutes', 'policies[0].when.all'],
    ])
  })

  it('lays two sets side by side: lines, and people', () => {
    const other = parse(example) as { policies: { settings: Record<string, unknown> }[] }
    if (other.policies[0]) other.policies[0].settings['copyTextOut'] = 'on'
    const { stdout } = run('diff', '--set', set, '--with', file('other.json', other), '--org', org)
    expect(JSON.parse(stdout)).toMatchObject({
      differences: [{ kind: 'changed', where: 'crew-outside', what: 'Copying text out', before: 'off', after: 'on' }],
      effect: { decided: true, people: 1, groups: [{ title: 'Copying text out', direction: 'looser', some: ['mara'] }] },
    })
  })

  it.each([
    [[], 'try:'],
    [['paint'], 'not known'],
    [['check'], '--set is missing'],
    [['effective', '--set', set], '--contexts is missing'],
    [['diff', '--set', set], '--with is missing'],
    [['check', '--set', '/nowhere/set.json'], 'ENOENT'],
    [['effective', '--set', file('wrong.json', { policies: [{ id: 'x', when: 7 }] }), '--contexts', set], 'policies[0].when'],
    [['effective', '--set', set, '--contexts', '/nowhere/c.ndjson'], 'ENOENT'],
    [['check', '--set', set, '--at', 'noon'], '--at'],
    [['check', '--set', set, '--org', file('org2.json', { people: 7 })], 'people'],
    [['check', '--set', file('torn.yaml', 'policies: [ {')], 'neither JSON nor YAML'],
  ])('%j is answered with one sentence', (args, words) => {
    const { status, stdout, stderr } = run(...args)
    expect([status, stdout, stderr.trim().split('\n').length, stderr.includes(words)]).toEqual([2, '', 1, true])
  })
})
