import { Readable } from 'node:stream'
import { gunzipSync } from 'node:zlib'
import type { FastifyRequest } from 'fastify'
import { Problem } from '../../contract/errors'
import { SHIPPED_RULES, otlpFromProtobuf, otlpResponse, readNdjson, readOtlp, Refusal } from '../../core/formats'
import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { readCohort, readPictures } from './compare'
import { readEventMap } from './event-map-file'
import { listClocks } from './clocks'
import { eventMaps, keepEventMap, previewEventMap } from './event-maps'
import { incidentLines, readIncident } from './incidents'
import { DAY_MS } from './model'
import { readStory } from './story'
import { listAttempts } from './store'
import { readToday } from './today'
import type { SentFile, Uploads } from './uploads'

type Names =
  | 'today'
  | 'incident'
  | 'incidentsExport'
  | 'pictures'
  | 'cohort'
  | 'attempts'
  | 'attemptsExport'
  | 'story'
  | 'traces'
  | 'evidence'
  | 'upload'
  | 'uploadByToken'
  | 'uploads'
  | 'uploadState'
  | 'uploadStateByToken'
  | 'uploadCancel'
  | 'uploadRefused'
  | 'eventMaps'
  | 'clocks'
  | 'eventMapPreview'
  | 'eventMapKeep'
  | 'eventMapForget'
const LONGEST_BODY = 64 << 20

async function* sentFiles(request: FastifyRequest): AsyncGenerator<SentFile> {
  for await (const { file, filename } of request.files()) yield { stream: file, name: filename }
}

export function logonHandlers(context: Context, uploads: Uploads): Handlers<Names> {
  const { database, evidence, live, now, config } = context
  const windowOf = ({ fromMs, toMs }: { fromMs?: number | undefined; toMs?: number | undefined }) => {
    const to = toMs ?? now()
    return [fromMs ?? to - DAY_MS, to] as const
  }
  const known = async (id: string) =>
    (await uploads.state(id)) ??
    (() => {
      throw new Problem('upload.unknown')
    })()
  return {
    today: ({ input: { query } }) => readToday(database, (from, to) => evidence.incidents(from, to), ...windowOf(query), now(), config.timeZone),
    incident: ({ input: { params, query } }) => readIncident(context, params.id, ...windowOf(query), query.doneMs),
    async incidentsExport({ input: { query }, reply }) {
      const lines = incidentLines(await evidence.incidents(...windowOf(query)))
      return sendCsv(
        reply,
        'incidents.csv',
        lines.map(({ scope, sinceMs, toMs, worse, change, ...line }) => ({
          ...line,
          where: scope.map(({ dimension, value }) => `${dimension} ${value}`).join(', '),
          since: new Date(sinceMs).toISOString(),
          until: new Date(toMs).toISOString(),
          worseSince: worse ? new Date(worse.sinceMs).toISOString() : '',
          change: change?.sentence ?? '',
        })),
      )
    },
    pictures: ({ input: { query } }) => readPictures(database, ...windowOf(query), context.config.timeZone),
    cohort: ({ input: { params, query } }) => readCohort(database, context.evidence, params.id, ...windowOf(query)),
    attempts: ({ input: { query } }) => listAttempts(database, query),
    async attemptsExport({ input: { query }, reply }) {
      const { attempts } = await listAttempts(database, { ...query, limit: 10_000 })
      return sendCsv(
        reply,
        'logons.csv',
        attempts.map(({ startedMs, ...line }) => ({ startedAt: new Date(startedMs).toISOString(), ...line })),
      )
    },
    story: ({ input }) => readStory(database, input.params.id, now()),
    async traces({ request, reply }) {
      const bytes = inflated(request.body as Buffer | undefined, request.headers['content-encoding'])
      const type = request.headers['content-type'] ?? ''
      const protobuf = type.startsWith('application/x-protobuf')
      if (!protobuf && !type.startsWith('application/json'))
        throw new Problem('format.unknown', 'Traces are taken as application/json or application/x-protobuf (OTLP/HTTP).')
      const value = protobuf ? fromProtobuf(bytes) : fromJson(bytes)
      const { observations, faults, rejectedSpans, spans } = readOtlp(value)
      if (spans === 0 && faults.length > 0) throw new Problem('request.invalid', faults[0]?.reason)
      const ahead = now() + DAY_MS
      const fit = observations.filter(({ timeMs }) => timeMs <= ahead)
      if (fit.length) await evidence.ingest(fit, now())
      if (fit.length) live.tell('attempts')
      const late = observations.length - fit.length
      const rejected = rejectedSpans + late
      const reason = rejected ? (faults[0]?.reason ?? 'spans more than a day ahead of this clock') : ''
      if (protobuf) return reply.type('application/x-protobuf').send(Buffer.from(otlpResponse(rejected, reason)))
      return reply.type('application/json').send(rejected ? { partialSuccess: { rejectedSpans: String(rejected), errorMessage: reason } } : {})
    },
    async evidence({ request }) {
      const bytes = inflated(request.body as Buffer | undefined, request.headers['content-encoding'])
      const { observations, faults } = readNdjson(bytes)
      const fit = observations.filter(({ timeMs }) => timeMs <= now() + DAY_MS)
      const { attempts } = fit.length ? await evidence.ingest(fit, now()) : { attempts: 0 }
      if (fit.length) live.tell('attempts')
      return {
        observations: fit.length,
        refused: faults.length + observations.length - fit.length,
        attempts,
        faults: faults.slice(0, 100).map(({ line, reason }) => ({ line, reason })),
      }
    },
    upload: ({ request, caller }) => uploads.take(sentFiles(request), caller.name),
    async uploadByToken({ request, caller }) {
      const name = request.headers['x-file-name']
      const body = request.body instanceof Readable ? request.body : Readable.from([])
      return uploads.take([{ stream: body, name: typeof name === 'string' ? decodeURIComponent(name) : 'evidence' }], caller.name)
    },
    uploads: async () => ({ uploads: await uploads.list() }),
    uploadState: ({ input }) => known(input.params.id),
    uploadStateByToken: ({ input }) => known(input.params.id),
    async uploadCancel({ input }) {
      await evidence.cancel(input.params.id)
      return known(input.params.id)
    },
    eventMaps: async () => ({ shipped: SHIPPED, own: await eventMaps(database) }),
    clocks: async () => ({ clocks: await listClocks(database) }),
    eventMapPreview: ({ input: { body } }) => previewEventMap(body.yaml, body.sample),
    async eventMapKeep({ input: { params, body }, caller }) {
      const { rules, complaints } = readEventMap(body.yaml)
      if (complaints.length) throw new Problem('event-map.invalid', `${complaints[0]?.path}: ${complaints[0]?.sentence}`, complaints)
      const line = { name: params.id, yaml: body.yaml, rules: rules.length, author: caller.name, atMs: now() }
      await keepEventMap(database, line)
      await writeJournal(database, { atMs: now(), who: caller.name, what: 'kept a map of events', target: params.id, after: `${rules.length} rules` })
      live.tell('journal')
      return line
    },
    async eventMapForget({ input: { params }, caller }) {
      const [gone] = await database.query<{ yaml: string }>('delete from event_maps where name = $1 returning yaml', [params.id])
      if (!gone) throw new Problem('event-map.unknown')
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'forgot a map of events',
        target: params.id,
        before: gone.yaml.slice(0, 4000),
      })
      live.tell('journal')
      return { ok: true }
    },
    async uploadRefused({ input, reply }) {
      const faults = await uploads.faults(input.params.id)
      if (!faults) throw new Problem('upload.unknown')
      return sendCsv(
        reply,
        'refused.csv',
        faults.map(({ file = '', ...fault }) => ({ file, ...fault })),
      )
    },
  }
}

/** The shipped rules, each in a few words. */
const SHIPPED = SHIPPED_RULES.map(({ provider, id, observe, phase, part, text, when, code, wholeActivity }) => ({
  provider,
  id,
  observe,
  phase: phase ?? null,
  says: [
    part,
    text,
    observe === 'return' ? 'they had a session there: what led back to it is no logon' : undefined,
    wholeActivity ? 'nor does anything else of its activity' : undefined,
    code?.some((one) => !one.startsWith('{')) ? code.join(', ') : code ? 'with its code' : undefined,
    when &&
      `where ${Object.entries(when)
        .map(([field, values]) => `${field} is ${values.join(' or ')}`)
        .join(' and ')}`,
  ]
    .filter((one) => one !== undefined)
    .join(' · '),
}))

function fromJson(bytes: Buffer): unknown {
  try {
    return JSON.parse(bytes.toString('utf8'))
  } catch {
    throw new Problem('request.invalid', 'The body is not valid JSON.')
  }
}

function fromProtobuf(bytes: Buffer): unknown {
  try {
    return otlpFromProtobuf(bytes)
  } catch (error) {
    if (error instanceof Refusal) throw new Problem('request.invalid', error.message)
    throw error
  }
}

function inflated(body: Buffer | undefined, encoding: string | undefined): Buffer {
  if (!body) return Buffer.alloc(0)
  if (encoding !== 'gzip') return body
  try {
    return gunzipSync(body, { maxOutputLength: LONGEST_BODY })
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE') throw new Problem('body.too-large')
    throw new Problem('request.invalid', 'The body is not valid gzip.')
  }
}
