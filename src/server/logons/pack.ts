import { inflateRawSync } from 'node:zlib'
import type { Observation } from '../../core/logons'

/** Texts that mostly stay the same from one observation of an attempt to the next. What is kept goes by their places: others come at the end only. */
const TEXTS = [
  'kind',
  'attempt',
  'person',
  'host',
  'source',
  'pool',
  'session',
  'phase',
  'part',
  'code',
  'outcome',
  'text',
  'span',
  'within',
] as const
const BRACKET = 0x5b
/** In the place of a text: as in the observation before. */
const SAME = 0

/**
 * The evidence of an attempt as it is kept: for each observation a list of time (after the first), duration, attributes, and texts in the order of
 * TEXTS; as JSON. A usual logon has a kilobyte, and deflating that took longer than explaining it; longer bodies are packed by the database.
 * @returns base64, for the way into the database
 */
export function packEvidence(observations: readonly Observation[]): string {
  const firstMs = observations[0]?.timeMs ?? 0
  const rows: unknown[] = [firstMs]
  let before: Observation | null = null
  for (const one of observations) {
    const row: unknown[] = [one.timeMs - firstMs, one.durationMs ?? null, one.attrs ?? null]
    for (const name of TEXTS) {
      const value = one[name]
      row.push(before !== null && value === before[name] ? SAME : (value ?? null))
    }
    let length = row.length
    while (length > 3 && row[length - 1] === SAME) length--
    row.length = length
    rows.push(row)
    before = one
  }
  return Buffer.from(JSON.stringify(rows)).toString('base64')
}

export function unpackEvidence(body: Uint8Array): Observation[] {
  // As it was kept until 0014: a line of JSON for each, deflated. Nothing deflated begins with this byte: it would be a last block of fixed codes, and “{” another code.
  if (body[0] !== BRACKET)
    return inflateRawSync(body)
      .toString('utf8')
      .split('\n')
      .map((line) => JSON.parse(line) as Observation)
  const [firstMs, ...rows] = JSON.parse(Buffer.from(body).toString('utf8')) as [
    number,
    ...[number, number | null, Observation['attrs'] | null, ...(string | 0 | null)[]][],
  ]
  let before: Partial<Record<(typeof TEXTS)[number], string>> = {}
  return rows.map(([afterMs, durationMs, attrs, ...texts]) => {
    const now: Partial<Record<(typeof TEXTS)[number], string>> = {}
    TEXTS.forEach((name, i) => {
      const value = i < texts.length ? texts[i] : SAME
      const text = value === SAME ? before[name] : value
      if (text !== undefined && text !== null) now[name] = text
    })
    before = now
    return { timeMs: firstMs + afterMs, ...(durationMs === null ? {} : { durationMs }), ...(attrs ? { attrs } : {}), ...now } as Observation
  })
}
