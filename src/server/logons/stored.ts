import {
  durationsOf,
  endOf,
  isMixed,
  seenOf,
  SERIES,
  tookOf,
  type Attempt,
  type ClockOffset,
  type Explained,
  type Neighbour,
  type Observation,
} from '../../core/logons'
import { packEvidence } from './pack'
import type { StoredAttempt } from './store'

/** An attempt with everything that was worked out of it. */
export interface Worked {
  readonly attempt: Attempt
  readonly thread: string
  readonly observations: readonly Observation[]
  readonly explained: Explained
  /** As its neighbours know it, before anything was concluded. */
  readonly neighbour: Neighbour
  /** The clocks that were off in it: what they timed was put right. */
  readonly clocks: readonly ClockOffset[]
  /** Whether it says what is usual. */
  readonly counted: boolean
}

/** The moment until which it, or what was seen of it, reaches. */
export const lastMsOf = ({ attempt, observations }: Pick<Worked, 'attempt' | 'observations'>): number =>
  Math.round(observations.reduce((last, one) => Math.max(last, endOf(one)), attempt.startedAtMs + attempt.totalMs))

/** An attempt as it is written. */
export function toStored({ attempt, thread, observations, explained, neighbour, clocks, counted }: Worked, upload: string | null): StoredAttempt {
  const { diagnosis, usual } = explained
  const seen = seenOf(explained)
  const { places } = seen
  const unusual = seen.cause !== null
  const blamed = durationsOf(explained.blame, attempt.totalMs)
  const took = tookOf(attempt, explained.blame)
  return {
    id: attempt.id,
    thread,
    person: attempt.person,
    account: attempt.account,
    host: attempt.host,
    pool: attempt.pool,
    session: attempt.session,
    started_ms: Math.round(attempt.startedAtMs),
    total_ms: attempt.totalMs,
    last_ms: lastMsOf({ attempt, observations }),
    outcome: explained.outcome,
    first: attempt.attrs['first'] === true,
    network: places.network ?? '',
    share: places.share || null,
    zone: places.zone || null,
    site: places.site || null,
    image: places.image || null,
    transport: places.transport || null,
    client_kind: places.clientKind || null,
    client_version: places.clientVersion || null,
    factor: places.factor || null,
    holder_host: places.holderHost || null,
    part: places.part || null,
    package: places.package || null,
    blame_ms: [...blamed],
    took_ms: took.every((ms, i) => ms === blamed[i]) ? null : [...took],
    usual_ms: usual ? SERIES.map((name) => usual.series[name]?.medianMs ?? 0) : null,
    usual: unusual ? usual : null,
    lost_ms: Math.round(seen.lostMs),
    slow_ms: Math.round(explained.slowMs),
    cause: seen.cause,
    confidence: diagnosis.cause?.confidence ?? null,
    upload,
    beyond: neighbour.beyond,
    fault: neighbour.fault,
    counted,
    mixed: isMixed(thread, observations),
    clocks: clocks.length > 0 ? clocks : null,
    body: packEvidence(observations),
    diagnosis: diagnosis.cause || diagnosis.others.length ? diagnosis : null,
  }
}
