import { z } from 'zod'
import { ChangeLine, NewChange } from './changes'
import { AttemptLine, AttemptQuery, IncidentPage, Story, Today, UploadState } from './logons'
import type { Route } from './route'

const Id = z.object({ id: z.string().min(1).max(200) })
const Done = z.object({ ok: z.literal(true) })
const Window = z.object({ fromMs: z.coerce.number().optional(), toMs: z.coerce.number().optional() })

/** Logons: evidence in, attempts and incidents out, and the changes that may have begun them. */
export const LOGON_ROUTES = {
  today: {
    method: 'GET',
    path: '/api/today',
    permission: 'viewer',
    sentence: 'The logons of a window against the usual, and what needs a decision, by time lost.',
    query: Window,
    response: Today,
  },
  incident: {
    method: 'GET',
    path: '/api/incidents/:id',
    permission: 'viewer',
    sentence: 'One incident of a window: where, since when, what changed before, and whether what was done since helped.',
    params: Id.extend({ id: z.string().min(1).max(2000) }),
    query: Window.extend({ doneMs: z.coerce.number().optional() }),
    response: IncidentPage,
  },
  incidentsExport: { method: 'GET', path: '/api/incidents.csv', permission: 'viewer', sentence: 'The incidents of a window as CSV.', query: Window },
  changes: {
    method: 'GET',
    path: '/api/changes',
    permission: 'viewer',
    sentence: 'What was altered: by Ikebana, as the directory told, as other programs told, and by hand.',
    query: Window,
    response: z.object({ changes: z.array(ChangeLine) }),
  },
  changeTell: {
    method: 'POST',
    path: '/api/changes',
    permission: 'help-desk',
    sentence: 'Tells of something that was altered elsewhere. The same id again replaces it.',
    body: NewChange,
    response: z.object({ id: z.string() }),
  },
  changeTellByToken: {
    method: 'POST',
    path: '/api/changes/told',
    permission: 'token evidence',
    sentence: 'The same, for another program.',
    body: NewChange,
    response: z.object({ id: z.string() }),
  },
  changeForget: {
    method: 'DELETE',
    path: '/api/changes/:id',
    permission: 'administrator',
    sentence: 'Takes back a change that was told of by mistake. The journal keeps that it was.',
    params: Id,
    response: Done,
  },
  attempts: {
    method: 'GET',
    path: '/api/attempts',
    permission: 'viewer',
    sentence: 'Attempts, newest first, filtered; a page at a time.',
    query: AttemptQuery,
    response: z.object({ attempts: z.array(AttemptLine), next: z.string().nullable() }),
  },
  attemptsExport: {
    method: 'GET',
    path: '/api/attempts.csv',
    permission: 'viewer',
    sentence: 'The same list as CSV (RFC 4180), up to 10,000 lines.',
    query: AttemptQuery,
  },
  story: {
    method: 'GET',
    path: '/api/attempts/:id',
    permission: 'viewer',
    sentence: 'One attempt, told from end to end.',
    params: Id,
    response: Story,
  },
  traces: { method: 'POST', path: '/v1/traces', permission: 'token evidence', sentence: 'OpenTelemetry traces: OTLP/HTTP in JSON, also gzip.' },
  evidence: {
    method: 'POST',
    path: '/api/evidence',
    permission: 'token evidence',
    sentence: 'Observations as NDJSON; answered when they are durable.',
    response: z.object({
      observations: z.number(),
      refused: z.number(),
      attempts: z.number(),
      faults: z.array(z.object({ line: z.number().nullable(), reason: z.string() })),
    }),
  },
  upload: {
    method: 'POST',
    path: '/api/uploads',
    permission: 'help-desk',
    sentence: 'Takes an evidence file (multipart) and reads it as a job.',
    response: UploadState,
  },
  uploadByToken: {
    method: 'POST',
    path: '/api/evidence/files',
    permission: 'token evidence',
    sentence: 'Takes an evidence file (raw body) and reads it as a job.',
    response: UploadState,
  },
  uploads: {
    method: 'GET',
    path: '/api/uploads',
    permission: 'viewer',
    sentence: 'Evidence files, newest first.',
    response: z.object({ uploads: z.array(UploadState) }),
  },
  uploadState: {
    method: 'GET',
    path: '/api/uploads/:id',
    permission: 'viewer',
    sentence: 'How far an evidence file was read, and what was refused.',
    params: Id,
    response: UploadState,
  },
  uploadStateByToken: {
    method: 'GET',
    path: '/api/evidence/files/:id',
    permission: 'token evidence',
    sentence: 'The same, for whoever sent the file by token.',
    params: Id,
    response: UploadState,
  },
  uploadCancel: {
    method: 'POST',
    path: '/api/uploads/:id/cancel',
    permission: 'help-desk',
    sentence: 'Stops reading a file. What was read stays.',
    params: Id,
    response: UploadState,
  },
  uploadRefused: {
    method: 'GET',
    path: '/api/uploads/:id/refused.csv',
    permission: 'viewer',
    sentence: 'The refused records: line, reason, beginning.',
    params: Id,
  },
} as const satisfies Record<string, Route>
