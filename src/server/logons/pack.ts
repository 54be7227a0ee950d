import { deflateRawSync, inflateRawSync } from 'node:zlib'
import type { Observation } from '../../core/logons'

/** A small window and little memory: each body is a few KiB, and making room for a large window costs more than packing. */
const SMALL = { level: 1, windowBits: 12, memLevel: 5 } as const

/** The evidence of an attempt as it is kept: observations as JSON lines, deflated; base64 on its way into the database. */
export function packEvidence(observations: readonly Observation[]): string {
  return deflateRawSync(observations.map((o) => JSON.stringify(o)).join('\n'), SMALL).toString('base64')
}

export function unpackEvidence(body: Uint8Array): Observation[] {
  return inflateRawSync(body)
    .toString('utf8')
    .split('\n')
    .map((line) => JSON.parse(line) as Observation)
}
