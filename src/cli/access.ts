import { parseArgs } from 'node:util'
import { accessRecord, canonicalSid, explainAccess, parseSddl, SddlFault } from '../core/people'
import { UsageError } from './usage'

/** `ikebana access`: what a token with these SIDs may do with a file or folder that has this descriptor. */
export function accessCommand(args: string[]): Promise<void> {
  const { sddl, sids, domain } = options(args)
  if (sddl === undefined) throw new UsageError("--sddl is missing; try: ikebana access --sddl 'O:BAD:(A;;FA;;;BA)' --sids S-1-5-32-544")
  if (sids === undefined) throw new UsageError('--sids is missing; expected SIDs with commas between them')
  const token = new Set(
    sids.split(',').map(
      (text) =>
        canonicalSid(text.trim()) ??
        (() => {
          throw new UsageError(`--sids: “${text.trim().slice(0, 60)}” is no SID (S-1-…)`)
        })(),
    ),
  )
  if (domain !== undefined && canonicalSid(domain) === null) throw new UsageError(`--domain: “${domain.slice(0, 60)}” is no SID (S-1-…)`)
  try {
    process.stdout.write(JSON.stringify(accessRecord(explainAccess(parseSddl(sddl, domain ?? null), token))) + '\n')
  } catch (error) {
    throw error instanceof SddlFault ? new UsageError(`--sddl ${error.message}`) : error
  }
  return Promise.resolve()
}

function options(args: string[]) {
  try {
    return parseArgs({ args, options: { sddl: { type: 'string' }, sids: { type: 'string' }, domain: { type: 'string' } } }).values
  } catch (error) {
    throw new UsageError(error instanceof Error ? error.message : 'options not understood')
  }
}
