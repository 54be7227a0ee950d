import Fastify, { type FastifyInstance } from 'fastify'
import { z } from 'zod'
import type { Fleet } from './fleet/fleet'
import { TROUBLES } from './fleet/troubles'
import { foldersThen, pastOf } from './share/past'
import { freeBytesOf, type ShareFolder } from './share/share'

const Release = z.object({ share: z.string(), file: z.string(), host: z.string(), session: z.string() })

/** The fleet's control interface (docs/formats/fleet-control.md), and the stand-in's own API for making trouble. */
export function controlServer(fleet: Fleet, shares: readonly ShareFolder[], token: string): FastifyInstance {
  const app = Fastify()
  app.addHook('onRequest', async (request, reply) => {
    if (request.headers.authorization !== `Bearer ${token}`) await reply.status(401).send({ error: 'token' })
  })
  app.setErrorHandler((error: Error, _request, reply) =>
    reply.status(error instanceof z.ZodError || error instanceof RangeError ? 400 : 500).send({ error: error.message }),
  )
  const host = (name: string) => {
    const found = fleet.hosts.get(name)
    if (!found) throw new RangeError(`no host is called ${name}`)
    return found
  }
  type Named = { Params: { host: string } }
  app.get('/control/hosts', () => ({
    hosts: [...fleet.hosts.values()].map(({ plan, power, draining, answers }) => ({ host: plan.id, pool: plan.pool, power, draining, answers })),
  }))
  app.get<Named>('/control/hosts/:host/sessions', ({ params }) => ({ sessions: fleet.sessionsOn(host(params.host).plan.id) }))
  app.post<Named>('/control/hosts/:host/drain', ({ params, body }) => {
    host(params.host).draining = z.object({ on: z.boolean() }).parse(body).on
    return { ok: true }
  })
  app.post<Named>('/control/hosts/:host/restart', ({ params }) => {
    fleet.restart(host(params.host))
    return { ok: true }
  })
  app.post<Named>('/control/hosts/:host/fetch', async ({ params }) => {
    await fleet.fetchNow(host(params.host))
    return { ok: true }
  })
  app.post<Named>('/control/hosts/:host/leftovers/remove', ({ params, body }) => {
    const { person } = z.object({ person: z.string() }).parse(body)
    return fleet.removeLeftover(host(params.host), person)
  })
  app.get('/control/shares', async () => {
    await Promise.all(shares.map((share) => share.count(Date.now())))
    return {
      shares: shares.map((share) => ({
        id: share.id,
        path: share.path,
        zone: share.zone,
        mount: share.mount,
        totalBytes: share.totalBytes,
        freeBytes: freeBytesOf(share),
        latencyMs: share.latencyMs,
        iops: share.iops,
        redundancy: share.redundancy,
      })),
    }
  })
  const shareOf = (id: string) => {
    const share = shares.find((one) => one.id === id)
    if (!share) throw new RangeError(`no share is called ${id}`)
    return share
  }
  type OfShare = { Params: { id: string } }
  app.get<OfShare>('/control/shares/:id/permissions', ({ params }) => shareOf(params.id).permissions())
  app.post<OfShare>('/control/shares/:id/permissions', ({ params, body }) => {
    const { layer, sddl } = z.object({ layer: z.enum(['share', 'root']), sddl: z.string() }).parse(body)
    shareOf(params.id).setPermissions(layer, sddl)
    return { ok: true }
  })
  app.get<OfShare>('/control/shares/:id/history', async ({ params }) => {
    const share = shareOf(params.id)
    await share.count(Date.now())
    return { samples: pastOf(share, Date.now()), folders: foldersThen(share, share.folderBytes, Date.now()) }
  })
  app.get('/control/holds', () => ({ holds: shares.flatMap((share) => share.holds()) }))
  app.post('/control/holds/release', ({ body }) => {
    const wanted = Release.parse(body)
    const holder = fleet.hosts.get(wanted.host)
    if (holder?.power === 'on' && holder.sessions.has(wanted.session)) return { released: false, reason: `session ${wanted.session} lives` }
    const released = shares.find(({ path }) => path === wanted.share)?.letGo(wanted.file, wanted.session) ?? false
    if (released) fleet.expect(wanted.file)
    return { released, reason: released ? `closed the open handle of ${wanted.host}` : 'the file is not held by this session' }
  })
  const Taking = z.object({ share: z.string(), file: z.string(), session: z.string() })
  app.post('/control/holds/take', ({ body }) => {
    const wanted = Taking.parse(body)
    const share = shares.find(({ path }) => path === wanted.share)
    if (!share) throw new RangeError(`no share has the path ${wanted.share}`)
    const holder = share.holds().find(({ file }) => file === wanted.file)
    if (holder) return { taken: false, reason: `${holder.host} has it open for session ${holder.session}` }
    share.take(wanted.file, 'ikebana', wanted.session)
    return { taken: true, reason: 'nobody has it open' }
  })
  app.post('/control/holds/give-back', ({ body }) => {
    const wanted = Taking.parse(body)
    shares.find(({ path }) => path === wanted.share)?.letGo(wanted.file, wanted.session)
    return { ok: true }
  })
  app.post('/control/sessions/begin', async ({ body }) => {
    const { person, pool } = z.object({ person: z.string(), pool: z.string() }).parse(body)
    return fleet.beginSession(person, pool)
  })
  const OfSession = z.object({ host: z.string(), session: z.string() })
  app.post('/control/sessions/end', ({ body }) => {
    const wanted = OfSession.parse(body)
    return { ended: fleet.endSession(host(wanted.host), wanted.session) }
  })
  app.post('/control/sessions/disconnect', ({ body }) => {
    const wanted = OfSession.parse(body)
    fleet.disconnect(host(wanted.host), wanted.session)
    return { ok: true }
  })
  app.post('/control/sessions/message', ({ body }) => {
    const wanted = OfSession.extend({ text: z.string().max(4000) }).parse(body)
    fleet.message(host(wanted.host), wanted.session, wanted.text)
    return { ok: true }
  })
  app.post<Named>('/control/hosts/:host/admin', ({ params, body }) => {
    const { person } = z.object({ person: z.string().nullable() }).parse(body)
    host(params.host).admins = person === null ? [] : [{ account: person, kind: 'person', sinceMs: Date.now() }]
    return { ok: true }
  })
  // What a platform does on its own: a desktop is built anew from its image, and knows nobody.
  app.post<Named>('/standin/hosts/:host/build', async ({ params }) => {
    const built = host(params.host)
    built.admins = []
    built.leftovers = []
    built.builtMs = Date.now()
    await fleet.fetchNow(built)
    return { ok: true }
  })
  app.get<Named>('/standin/hosts/:host/messages', ({ params }) => ({
    messages: [...host(params.host).sessions.values()].flatMap(({ session, messages }) => messages.map((text) => ({ session, text }))),
  }))
  app.post('/control/sessions/write', async ({ body }) => {
    const wanted = OfSession.extend({ path: z.string().max(200), text: z.string().max(500) }).parse(body)
    await fleet.writeIn(host(wanted.host), wanted.session, wanted.path, wanted.text)
    return { ok: true }
  })
  app.post('/control/sessions/read', async ({ body }) => {
    const wanted = OfSession.extend({ path: z.string().max(200) }).parse(body)
    return { text: await fleet.readIn(host(wanted.host), wanted.session, wanted.path) }
  })
  app.get<Named>('/control/hosts/:host/profiles', ({ params }) => ({ profiles: fleet.profilesOn(host(params.host)) }))
  app.get('/standin/troubles', () => ({ troubles: TROUBLES.map((name) => ({ name, on: fleet.troubles.has(name) })) }))
  app.post('/standin/troubles', ({ body }) => {
    const { name, on } = z.object({ name: z.enum(TROUBLES), on: z.boolean() }).parse(body)
    fleet.set(name, on)
    return { ok: true }
  })
  app.post<{ Params: { person: string } }>('/standin/people/:person/logon', async ({ params }) => {
    const { outcome, totalMs } = await fleet.logOn(params.person)
    return { outcome, totalMs }
  })
  return app
}
