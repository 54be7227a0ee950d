import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { afterAll, describe, expect, it } from 'vitest'
import { readEvidence } from './evidence-file'

const folder = mkdtempSync(join(tmpdir(), 'evidence-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const START_MS = Date.UTC(2026, 10, 23, 7)
const NS = 'http://schemas.microsoft.com/win/2004/08/events/event'
const numbers = [...Array(40).keys()]
const ndjson = numbers.map((i) => `{"time":${START_MS + i},"kind":"begin","attempt":"a${i}","person":"Åse ${i}","host":"TH-Q1-0${i % 7}"}\n`).join('')
const csv = `time;kind;attempt;person\n${numbers.map((i) => `${START_MS + i};begin;a${i};Åse ${i}\n`).join('')}`
const events = numbers
  .map(
    (i) =>
      `<Event xmlns="${NS}"><System><Provider Name="Microsoft-Windows-Security-Auditing"/><EventID>4624</EventID><TimeCreated SystemTime="${new Date(START_MS + i * 60_000).toISOString()}"/><Computer>TH-Q1-03</Computer></System><EventData><Data Name="TargetUserName">åse${i}</Data><Data Name="LogonType">10</Data></EventData></Event>`,
  )
  .join('\n')
const value = (stringValue: string) => ({ value: { stringValue } })
const otlp = JSON.stringify({
  resourceSpans: [
    {
      scopeSpans: [
        {
          spans: numbers.map((i) => ({
            traceId: i.toString(16).padStart(32, '0'),
            spanId: '00000000000000aa',
            name: 'logon',
            startTimeUnixNano: `${START_MS + i}000000`,
            endTimeUnixNano: `${START_MS + i + 9}000000`,
            attributes: [{ key: 'user.name', ...value(`Åse ${i}`) }],
          })),
        },
      ],
    },
  ],
})

/** What a file says, read in pieces of so many bytes, and when its progress was told. */
async function said(bytes: Uint8Array, chunkBytes?: number) {
  const path = join(folder, 'file')
  writeFileSync(path, bytes)
  const [lines, told]: [string[], number[]] = [[], []]
  const sink = { observation: (one: unknown) => lines.push(JSON.stringify(one)), fault: ({ reason }: { reason: string }) => lines.push(reason) }
  await readEvidence(path, 'auto', sink, { ...(chunkBytes ? { chunkBytes } : {}), progress: (n) => Promise.resolve(void told.push(n)) })
  return { lines, told }
}

describe('an evidence file', () => {
  it.each([
    ['NDJSON', ndjson],
    ['CSV', csv],
    ['event logs', events],
    ['OTLP', otlp],
  ])('of %s says the same in whatever pieces it is read, compressed or not', async (_, text) => {
    const bytes = Buffer.from(text)
    const { lines: whole } = await said(bytes)
    expect(whole.length).toBeGreaterThanOrEqual(40)
    expect(whole.join()).toMatch(/Åse 39|åse39/)
    for (const chunkBytes of [1000, 1777, 4096]) {
      const { lines, told } = await said(bytes, chunkBytes)
      expect(lines).toEqual(whole)
      expect(told.at(-1)).toBe(bytes.length)
      expect((await said(gzipSync(bytes), Math.ceil(chunkBytes / 20))).lines).toEqual(whole)
    }
  })
})
