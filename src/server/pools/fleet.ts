import { z } from 'zod'
import { Problem } from '../../contract/errors'

const Session = z.object({ person: z.string(), session: z.string(), host: z.string(), sinceMs: z.number(), state: z.string() })
const Hold = z.object({ share: z.string(), file: z.string(), host: z.string(), session: z.string(), sinceMs: z.number() })
const Share = z.object({
  id: z.string(),
  path: z.string(),
  zone: z.string(),
  mount: z.string(),
  totalBytes: z.number(),
  freeBytes: z.number(),
  latencyMs: z.number(),
  /** Operations a second that it bears, where its maker or a test said. */
  iops: z.number().nullable().default(null),
  /** How it survives the loss of a disk or a room, in a few words. */
  redundancy: z.string().max(200).nullable().default(null),
})
const Permissions = z.object({
  share: z.string(),
  root: z.string(),
  folders: z.array(z.object({ name: z.string(), sddl: z.string() })).max(100_000),
  onDirectoryServer: z.boolean(),
})
const Samples = z.object({
  /** How large folders were at some moment, where the file server remembers that. */
  folders: z
    .array(z.object({ folder: z.string(), atMs: z.number(), bytes: z.number() }))
    .max(100_000)
    .default([]),
  samples: z.array(z.object({ atMs: z.number(), usedBytes: z.number(), latencyMs: z.number().nullable() })).max(10_000),
})
const HostState = z.object({
  host: z.string(),
  pool: z.string(),
  power: z.enum(['on', 'off', 'starting']),
  draining: z.boolean(),
  answers: z.boolean(),
})
const Began = z.object({ began: z.boolean(), host: z.string(), session: z.string(), seconds: z.number(), reason: z.string() })
const Profiles = z.object({ profiles: z.array(z.object({ person: z.string(), kind: z.enum(['container', 'local']), bytes: z.number() })) })
export type FleetSession = z.infer<typeof Session>
export type FleetHold = z.infer<typeof Hold>

/** What Ikebana asks of the platform under it. The HTTP contract is in docs/formats/fleet-control.md. */
export interface Fleet {
  hosts(): Promise<z.infer<typeof HostState>[]>
  sessions(host: string): Promise<FleetSession[]>
  shares(): Promise<z.infer<typeof Share>[]>
  /** The descriptors of a share at both layers (SDDL), and of personal folders that have other ones than come down. */
  permissions(share: string): Promise<z.infer<typeof Permissions>>
  setPermissions(share: string, layer: 'share' | 'root', sddl: string): Promise<void>
  /** How full a share was, as its server remembers. */
  shareHistory(share: string): Promise<z.infer<typeof Samples>>
  holds(): Promise<FleetHold[]>
  release(hold: FleetHold): Promise<{ released: boolean; reason: string }>
  /** Takes a free container, so that no session gets it meanwhile; refused while anybody has it. */
  take(share: string, file: string, session: string): Promise<{ taken: boolean; reason: string }>
  /** Gives back what was taken under this name. */
  giveBack(share: string, file: string, session: string): Promise<void>
  drain(host: string, on: boolean): Promise<void>
  restart(host: string): Promise<void>
  /** Lets a host fetch its settings and report now, instead of at its next turn. */
  fetchNow(host: string): Promise<void>
  removeLeftover(host: string, person: string): Promise<{ removed: boolean; reason: string }>
  /** Lets an account log on to a pool, and waits until it is in or was refused. For proofs with a test person. */
  beginSession(person: string, pool: string): Promise<z.infer<typeof Began>>
  endSession(host: string, session: string): Promise<void>
  /** Leaves a session running without its client, as closing the window does. */
  disconnect(host: string, session: string): Promise<void>
  /** Shows a few sentences to whoever works in a session. */
  message(host: string, session: string, text: string): Promise<void>
  /** Makes one person the only administrator of a host beside its own; null: nobody. */
  setAdmin(host: string, person: string | null): Promise<void>
  /** Writes a few words into a file of the profile of a session, and reads them again. */
  writeIn(at: { host: string; session: string }, path: string, text: string): Promise<void>
  readIn(at: { host: string; session: string }, path: string): Promise<string | null>
  /** Whose profiles lie on a host: attached from a container, or local. */
  profiles(host: string): Promise<z.infer<typeof Profiles>['profiles']>
}

export function fleetOver(baseUrl: string, token: string): Fleet {
  const call = async <T>(schema: z.ZodType<T>, path: string, body?: unknown, waitMs = 10_000): Promise<T> => {
    let response: Response
    try {
      response = await fetch(new URL(path, baseUrl), {
        method: body === undefined ? 'GET' : 'POST',
        headers: { authorization: `Bearer ${token}`, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
        signal: AbortSignal.timeout(waitMs),
      })
    } catch {
      throw new Problem('fleet.unreachable')
    }
    if (!response.ok) throw new Problem('fleet.unreachable', `The fleet answered ${response.status} to ${path}.`)
    const parsed = schema.safeParse(await response.json())
    if (!parsed.success) throw new Problem('fleet.unreachable', `The fleet's answer to ${path} is not as agreed.`)
    return parsed.data
  }
  const host = (name: string) => `/control/hosts/${encodeURIComponent(name)}`
  const ok = z.object({ ok: z.literal(true) })
  return {
    hosts: async () => (await call(z.object({ hosts: z.array(HostState) }), '/control/hosts')).hosts,
    sessions: async (name) => (await call(z.object({ sessions: z.array(Session) }), `${host(name)}/sessions`)).sessions,
    shares: async () => (await call(z.object({ shares: z.array(Share) }), '/control/shares')).shares,
    permissions: (share) => call(Permissions, `/control/shares/${encodeURIComponent(share)}/permissions`),
    setPermissions: async (share, layer, sddl) => {
      await call(ok, `/control/shares/${encodeURIComponent(share)}/permissions`, { layer, sddl })
    },
    shareHistory: (share) => call(Samples, `/control/shares/${encodeURIComponent(share)}/history`),
    holds: async () => (await call(z.object({ holds: z.array(Hold) }), '/control/holds')).holds,
    release: (hold) => call(z.object({ released: z.boolean(), reason: z.string() }), '/control/holds/release', hold),
    take: (share, file, session) => call(z.object({ taken: z.boolean(), reason: z.string() }), '/control/holds/take', { share, file, session }),
    giveBack: async (share, file, session) => {
      await call(ok, '/control/holds/give-back', { share, file, session })
    },
    drain: async (name, on) => {
      await call(ok, `${host(name)}/drain`, { on })
    },
    fetchNow: async (name) => {
      await call(ok, `${host(name)}/fetch`, {})
    },
    removeLeftover: (name, person) => call(z.object({ removed: z.boolean(), reason: z.string() }), `${host(name)}/leftovers/remove`, { person }),
    beginSession: (person, pool) => call(Began, '/control/sessions/begin', { person, pool }, 180_000),
    endSession: async (name, session) => {
      await call(z.object({ ended: z.boolean() }), '/control/sessions/end', { host: name, session })
    },
    disconnect: async (name, session) => {
      await call(ok, '/control/sessions/disconnect', { host: name, session })
    },
    message: async (name, session, text) => {
      await call(ok, '/control/sessions/message', { host: name, session, text })
    },
    setAdmin: async (name, person) => {
      await call(ok, `${host(name)}/admin`, { person })
    },
    writeIn: async (at, path, text) => {
      await call(ok, '/control/sessions/write', { ...at, path, text })
    },
    readIn: async (at, path) => (await call(z.object({ text: z.string().nullable() }), '/control/sessions/read', { ...at, path })).text,
    profiles: async (name) => (await call(Profiles, `${host(name)}/profiles`)).profiles,
    restart: async (name) => {
      await call(ok, `${host(name)}/restart`, {})
    },
  }
}
