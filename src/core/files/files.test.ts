import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import { InventoryReader, type InventoryRow } from './inventory'
import { belowProfile, covers, readPattern, type Pattern } from './pattern'
import { ruleOfFiles, tryRules } from './rules'
import { FolderTree, pictureOf, sumsOf } from './tree'
import type { PathRule } from '../policies/settings'

const pattern = (text: string): Pattern => {
  const reading = readPattern(text)
  if (!reading.ok) throw new Error(reading.sentence)
  return reading.pattern
}
const skip = (text: string): PathRule => ({ pattern: text, does: 'skip' })

describe('a path pattern', () => {
  it.each([
    [String.raw`%localappdata%\Cache`, String.raw`AppData\Local\Cache\a\b.bin`, true],
    [String.raw`%LOCALAPPDATA%\cache`, String.raw`C:\Users\mara.elling\appdata\LOCAL\Cache`, true],
    [String.raw`%localappdata%\Cache`, String.raw`AppData\Local\Caches\a`, false],
    [String.raw`**\*.tmp`, String.raw`Documents\deep\er\x.TMP`, true],
    [String.raw`**\*.tmp`, 'x.tmp', true],
    [String.raw`**\*.tmp`, 'x.tmpl', false],
    [String.raw`AppData\*\Temp`, String.raw`AppData\Local\Temp\x`, true],
    [String.raw`AppData\*\Temp`, String.raw`AppData\Local\Low\Temp\x`, false],
    [String.raw`AppData\**\Temp`, String.raw`AppData\Local\Low\Temp\x`, true],
    [String.raw`AppData\**\Temp`, String.raw`AppData\Temp\x`, true],
    [String.raw`**\report-20??.x*x`, String.raw`Documents\Report-2026.xlsx`, true],
    [String.raw`**\report-20??.x*x`, String.raw`Documents\Report-206.xlsx`, false],
    ['%temp%/**', String.raw`AppData\Local\Temp\x\y`, true],
    [String.raw`Downloads`, String.raw`Documents\Downloads\x`, false],
  ])('%s covers %s: %s', (text, path, expected) => {
    expect(covers(pattern(text), path)).toBe(expected)
  })

  it.each([
    ['', 'blank'],
    ['**', 'covers everything'],
    ['%profile%', 'whole profile'],
    [String.raw`%nowhere%\x`, '%nowhere% is not known'],
    [String.raw`D:\data\x`, 'does not lie in a profile'],
    [String.raw`\\server\share\x`, 'does not lie in a profile'],
    [String.raw`a**b\x`, 'must stand alone'],
    [String.raw`a\..\b`, 'cannot be a name'],
    ['50%', 'percent sign'],
  ])('%j is refused, and says how it should look', (text, says) => {
    const reading = readPattern(text)
    expect(reading).toMatchObject({ ok: false, sentence: expect.stringContaining(says) as string })
    if (!reading.ok) expect(reading.sentence).toContain(String.raw`**\*.tmp`)
  })

  it('agrees with a plain search by every way a pattern can be laid over a path', () => {
    // The obvious definition, slow: names one by one, `**` as any number of them, a pattern that fits a folder covers what is in it.
    const slow = (pieces: string[], names: string[]): boolean => {
      if (pieces.length === 0) return true
      const [first = '', ...rest] = pieces
      if (first === '**') return slow(rest, names) || (names.length > 0 && slow(pieces, names.slice(1)))
      const [name, ...more] = names
      if (name === undefined) return false
      const regex = new RegExp(
        `^${first
          .replaceAll(/[.+^${}()|[\]\\]/g, '\\$&')
          .replaceAll('*', '.*')
          .replaceAll('?', '.')}$`,
        'is',
      )
      return regex.test(name) && slow(rest, more)
    }
    const name = fc.stringMatching(/^[ab.]{1,4}$/).filter((text) => !/^\.+$/.test(text))
    const piece = fc.oneof({ weight: 3, arbitrary: fc.stringMatching(/^[ab.*?]{1,4}$/) }, { weight: 1, arbitrary: fc.constant('**') })
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 4 }), fc.array(name, { minLength: 1, maxLength: 5 }), (pieces, names) => {
        const reading = readPattern(pieces.join('\\'))
        if (!reading.ok) return
        // A `**` at the end covers the folder's content, and with it nothing else than the folder itself does.
        expect(covers(reading.pattern, names.join('\\'))).toBe(slow(pieces, names))
      }),
      { numRuns: 2000 },
    )
  })

  it('takes a path to below the profile', () => {
    expect(belowProfile('C:/Users/mara/Documents/a.txt')).toBe(String.raw`Documents\a.txt`)
    expect(belowProfile(String.raw`\Users\mara\x`)).toBe('x')
    expect(belowProfile(String.raw`\AppData\x`)).toBe(String.raw`AppData\x`)
  })
})

function read(text: string, cut = 7, owner = 'mara'): { rows: InventoryRow[]; reader: InventoryReader } {
  const rows: InventoryRow[] = []
  const reader = new InventoryReader(owner, (row) => rows.push(row))
  for (let at = 0; at < text.length; at += cut) reader.push(text.slice(at, at + cut))
  reader.end()
  return { rows, reader }
}

describe('an inventory', () => {
  it('is read as NDJSON, and one bad line does not lose the others', () => {
    const { rows, reader } = read(
      `{"path":"C:\\\\Users\\\\jonas\\\\a.txt","bytes":5,"modified":"2026-11-01T00:00:00Z"}\n{"path":"b","bytes":-1}\nnonsense\n{"path":"x\\\\b.txt","bytes":7,"modified":1000,"person":"ILSE"}\n[]\n{"path":"c","bytes":1,"modified":"yesterday"}\n`,
    )
    expect(rows).toEqual([
      { person: 'jonas', path: 'a.txt', bytes: 5, modifiedMs: Date.UTC(2026, 10, 1) },
      { person: 'ilse', path: String.raw`x\b.txt`, bytes: 7, modifiedMs: 1000 },
    ])
    expect(reader.faults.map(({ line }) => line)).toEqual([2, 3, 5, 6])
    expect(reader.faults[1]?.reason).toBe('This is not JSON.')
  })

  it('is read as CSV in the way that papaparse writes it', () => {
    const cell = fc
      .string({ minLength: 1, maxLength: 12 })
      .filter((text) => !/[\r\n]/.test(text) && belowProfile(text) === text && !text.includes('\uFEFF'))
    fc.assert(
      fc.property(
        fc.array(fc.record({ path: cell, bytes: fc.nat(), person: fc.stringMatching(/^[a-z]{1,5}$/) }), { minLength: 1 }),
        fc.integer({ min: 1, max: 50 }),
        (lines, cut) => {
          // Peer: papaparse as the writer.
          const { rows } = read(Papa.unparse(lines, { newline: '\r\n' }), cut)
          expect(rows).toEqual(lines.map(({ path, bytes, person }) => ({ person, path, bytes, modifiedMs: 0 })))
        },
      ),
    )
  })

  it('says what is wrong with its beginning, its fields, and lines without an end', () => {
    expect(read('a,b,c\n').reader.faults[0]?.reason).toContain('neither with a JSON object nor with a header')
    expect(read('path,bytes\nx,1,2\n"y,1\nz,2\n').reader.faults.map(({ reason }) => reason)).toEqual([
      'This line has 3 fields, the header 2.',
      'A quotation mark is not closed.',
    ])
    const long = read(`path,bytes\n${'x'.repeat(200_000)}\nz,2\n`, 50_000)
    expect([long.rows.length, long.reader.faults[0]?.reason]).toEqual([1, 'The line is longer than 65536 characters.'])
  })

  it('survives anything', () => {
    fc.assert(fc.property(fc.string({ maxLength: 300 }), (text) => void read(text)))
    fc.assert(fc.property(fc.string({ maxLength: 100 }), (text) => void read(`path,bytes,modified\n${text}`)))
  })
})

const HOUR = 3_600_000
function treeOf(rows: [person: string, path: string, bytes: number, modifiedMs?: number][]): FolderTree {
  const tree = new FolderTree()
  for (const [person, path, bytes, modifiedMs = 0] of rows) tree.add({ person, path, bytes, modifiedMs })
  return tree
}

describe('the folders of many profiles', () => {
  const tree = treeOf([
    ['mara', String.raw`AppData\Local\Cache\a.bin`, 100],
    ['jonas', String.raw`appdata\local\cache\b.bin`, 50],
    ['mara', String.raw`AppData\Local\Cache\c.bin`, 10],
    ['mara', String.raw`Documents\plan.docx`, 5],
    ['mara', 'top.txt', 1],
  ])

  it('lie over each other whatever the letter case, and add up', () => {
    const sums = sumsOf(tree)
    const picture = pictureOf(tree, sums, 0, 3)
    expect([picture.bytes, picture.files, picture.people]).toEqual([166, 5, 2])
    expect(picture.children.map(({ path, bytes, people, files }) => [path, bytes, people, files])).toEqual([
      ['AppData', 160, 2, 3],
      ['Documents', 5, 1, 1],
    ])
    expect(picture.children[0]?.children[0]?.children[0]).toMatchObject({ path: String.raw`AppData\Local\Cache`, bytes: 160, restBytes: 160 })
    expect(picture.restBytes).toBe(1)
    expect([tree.nameOf(1), tree.nameOf(4), tree.pathOf(tree.folderOf(1))]).toEqual(['b.bin', 'top.txt', String.raw`AppData\Local\Cache`])
  })

  it('give each file the first rule that covers it, as looking at each file alone does', () => {
    const name = fc.constantFrom('a', 'b', 'Cache', 'x.tmp', 'y.log')
    const rows = fc.array(fc.tuple(fc.constantFrom('p', 'q'), fc.array(name, { minLength: 1, maxLength: 4 }), fc.nat(100)), { maxLength: 30 })
    const texts = fc.constantFrom(
      String.raw`a\b`,
      String.raw`**\*.tmp`,
      'Cache',
      String.raw`**\Cache`,
      String.raw`a\**\y.log`,
      String.raw`*\b\**`,
      String.raw`b\**`,
      String.raw`**\b\*.log`,
    )
    fc.assert(
      fc.property(rows, fc.array(texts, { maxLength: 5 }), (list, rules) => {
        const some = treeOf(list.map(([person, names, bytes]) => [person, names.join('\\'), bytes]))
        const found = ruleOfFiles(some, rules.map(skip))
        list.forEach(([, names], file) => expect(found[file]).toBe(rules.findIndex((text) => covers(pattern(text), names.join('\\')))))
      }),
      { numRuns: 500 },
    )
  })
})

describe('trying path rules', () => {
  const nowMs = Date.UTC(2026, 10, 23)
  const tree = treeOf([
    ['mara', String.raw`AppData\Local\Cache\big.bin`, 900e6, nowMs],
    ['mara', String.raw`AppData\Local\Cache\important.xlsx`, 4e6, nowMs - HOUR],
    ['mara', String.raw`AppData\Local\Cache\old.xlsx`, 4e6, nowMs - 400 * 24 * HOUR],
    ['mara', String.raw`Documents\plan.docx`, 96e6, nowMs],
    ['jonas', String.raw`Documents\plan.docx`, 100e6, nowMs],
  ])

  it('says how much smaller, for how many, how much sooner, and what would be lost', () => {
    const result = tryRules(
      tree,
      [{ pattern: String.raw`**\important.*`, does: 'keep' }, skip(String.raw`%localappdata%\Cache`)],
      { perFileMs: 10, bytesPerSecond: 100e6 },
      nowMs,
    )
    expect(result.before).toEqual({ files: 5, bytes: 1104e6, people: 2 })
    expect(result.after).toEqual({ files: 3, bytes: 200e6, people: 2 })
    expect(result.rules.map(({ files, bytes, people }) => [files, bytes, people])).toEqual([
      [1, 4e6, 1],
      [2, 904e6, 1],
    ])
    expect(result.smallerFor).toBe(1)
    // Mara fetched 1,004 MB in 4 files: 10.04 s and 40 ms; now 100 MB in 2: 1.02 s.
    expect(result.logonMs.before.ninth).toBeCloseTo(10_080, 6)
    expect(result.logonMs.after.ninth).toBeCloseTo(1020, 6)
    // The old sheet was not changed for long, and the one that matters is kept by the rule before.
    expect(result.lost.files).toBe(0)
    const harsh = tryRules(tree, [skip(String.raw`%localappdata%\Cache`)], { perFileMs: 10, bytesPerSecond: 100e6 }, nowMs)
    expect(harsh.lost).toMatchObject({
      files: 1,
      bytes: 4e6,
      people: 1,
      examples: [{ person: 'mara', path: String.raw`AppData\Local\Cache\important.xlsx`, rule: 0 }],
    })
  })

  it('refuses a rule that cannot be read', () => {
    expect(() => tryRules(tree, [skip('**')], { perFileMs: 1, bytesPerSecond: 1 }, nowMs)).toThrow(RangeError)
  })
})
