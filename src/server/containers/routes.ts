import type { ContainerLine, ShareLine } from '../../contract/other'
import type { Queryable } from '../db/database'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'

const LINE = `c.id, c.share, c.file, c.person, p.name, c.format, c.kind, c.state, c.virtual_bytes as "virtualBytes", c.file_bytes as "fileBytes", c.allocated_bytes as "allocatedBytes", c.disk_bytes as "diskBytes", c.last_used_ms as "lastUsedMs",
  c.holder_host as "holderHost", c.holder_session as "holderSession", c.held_since_ms as "heldSinceMs", c.holder_alive as "holderAlive", c.findings`

interface Wanted { text: string; share?: string | undefined; held: 'all' | 'held' | 'stale' }

async function listContainers(database: Queryable, { text, share, held }: Wanted): Promise<ContainerLine[]> {
  return database.query<ContainerLine>(`select ${LINE} from containers c left join people p on p.id = c.person
    where ($1 = '' or concat_ws(' ', c.file, p.name, c.holder_host) ilike $2) and ($3::text is null or c.share = $3) and ($4 = 'all' or c.holder_host is not null) and ($4 <> 'stale' or c.holder_alive = false) order by c.allocated_bytes desc, c.id limit 5000`,
    [text, `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`, share ?? null, held])
}

export async function containersOf(database: Queryable, person: string): Promise<ContainerLine[]> {
  return database.query<ContainerLine>(`select ${LINE} from containers c left join people p on p.id = c.person where c.person = $1`, [person])
}

export function containerHandlers({ database }: Context): Handlers<'containers' | 'containersExport'> {
  return {
    async containers({ input: { query } }) {
      const containers = await listContainers(database, query)
      const shares = await database.query<ShareLine & { updated: number }>(`select s.id, s.path, s.zone, s.total_bytes as "totalBytes", s.free_bytes as "freeBytes", s.latency_ms as "latencyMs", count(c.id) as containers, coalesce(sum(c.allocated_bytes), 0)::bigint as "allocatedBytes", count(c.holder_host) as held, s.updated_ms as updated
        from shares s left join containers c on c.share = s.path group by s.id order by s.path`)
      const [total] = await database.query<{ n: number }>('select count(*) as n from containers')
      return { containers, shares: shares.map(({ updated: _, ...line }) => line), total: total?.n ?? 0, scannedMs: shares.length ? Math.max(...shares.map(({ updated }) => updated)) : null }
    },
    async containersExport({ input: { query }, reply }) {
      const lines = await listContainers(database, query)
      return sendCsv(reply, 'containers.csv', lines.map(({ findings, ...line }) => ({ ...line, findings: findings.join(' ') })))
    },
  }
}
