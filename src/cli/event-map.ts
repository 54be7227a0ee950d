import { readFile } from 'node:fs/promises'
import type { EventRule } from '../core/formats'
import { readEventMap } from '../server/logons/event-map-file'
import { UsageError } from './usage'

/** The rules of an event map, or a sentence that says what is wrong with it. */
export async function readEventMapFile(path: string): Promise<readonly EventRule[]> {
  const text = await readFile(path, 'utf8').catch(() => {
    throw new UsageError(`${path}: cannot be read`)
  })
  const { rules, complaints } = readEventMap(text)
  const [first] = complaints
  if (first) throw new UsageError(`${path}: ${first.path}: ${first.sentence}`)
  return rules
}
