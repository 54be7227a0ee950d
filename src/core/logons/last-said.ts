import { Pairs } from '../stats/pairs'
import type { Attempt } from './attempt'
import { isOnHost, type AttrValue } from './observation'

/** What a host is, whoever is on it. */
const OF_HOST = ['zone', 'site', 'image'] as const
/** Phases in which a share is used. */
const ON_SHARE: readonly string[] = ['container', 'profile']
/** Of so many hosts, and people on pools, it is known; of further ones, nothing. */
const MOST = 100_000
/** So often may it have become something else; what was before is forgotten. */
const MOST_CHANGES = 8

/** What was said of one thing: each value with the moment from which on it was said, by time. */
type Sayings = { fromMs: number; readonly value: AttrValue }[]
type OfHost = Readonly<Record<(typeof OF_HOST)[number], Sayings>>

/**
 * Sources do not say everything each time. Where a logon does not say in which zone its host is, or with which image, that is what was last said of the host before it;
 * the share of a person is the one that was last said of them on the same pool, if it got as far as that. What is known first of a host or person was so before, too, as
 * far as anybody said.
 */
export class LastSaid {
  readonly #hosts = new Map<string, OfHost>()
  /** By person and pool. */
  readonly #shares = new Pairs<Sayings>()
  #ofShares = 0

  /** In any order: what of an attempt is also said of others. */
  fillAll(attempts: readonly Attempt[]): Attempt[] {
    for (const attempt of attempts) this.#learn(attempt)
    return attempts.map((attempt) => this.#filled(attempt))
  }

  /** The attempt with what it does not say itself; and what it says is known from then on. */
  fill(attempt: Attempt): Attempt {
    this.#learn(attempt)
    return this.#filled(attempt)
  }

  #learn(attempt: Attempt): void {
    this.know(isItsHost(attempt) ? attempt : { ...attempt, host: null })
  }

  /** Takes in what was said of a host, and of a person. */
  know({ host, person, pool, attrs, startedAtMs }: Pick<Attempt, 'host' | 'person' | 'pool' | 'attrs' | 'startedAtMs'>): void {
    if (host !== null) {
      let known = this.#hosts.get(host)
      if (!known && this.#hosts.size < MOST) this.#hosts.set(host, (known = { zone: [], site: [], image: [] }))
      if (known)
        for (const name of OF_HOST) {
          const said = attrs[name]
          if (said !== undefined) say(known[name], startedAtMs, said)
        }
    }
    const share = attrs['share']
    if (person === null || share === undefined) return
    let known = this.#shares.get(person, pool ?? '')
    if (!known && this.#ofShares < MOST) {
      this.#shares.set(person, pool ?? '', (known = []))
      this.#ofShares++
    }
    if (known) say(known, startedAtMs, share)
  }

  #filled(attempt: Attempt): Attempt {
    const { host, person, pool, attrs, startedAtMs } = attempt
    let more: Record<string, AttrValue> | null = null
    const known = host === null || !isItsHost(attempt) ? undefined : this.#hosts.get(host)
    if (known)
      for (const name of OF_HOST) {
        if (attrs[name] !== undefined) continue
        const last = saidAt(known[name], startedAtMs)
        if (last !== undefined) (more ??= { ...attrs })[name] = last
      }
    if (person !== null && attrs['share'] === undefined && this.#ofShares > 0) {
      const last = saidAt(this.#shares.get(person, pool ?? ''), startedAtMs)
      if (last !== undefined && attempt.phases.some(({ phase }) => ON_SHARE.includes(phase))) (more ??= { ...attrs })['share'] = last
    }
    return more === null ? attempt : { ...attempt, attrs: more }
  }
}

/** Of a logon that is under way, a machine that chose the host, or asked for the password, may be all that is known of yet. */
const isItsHost = ({ outcome, phases }: Pick<Attempt, 'outcome' | 'phases'>): boolean =>
  outcome !== 'open' || phases.some(({ phase }) => isOnHost(phase))

function say(sayings: Sayings, atMs: number, value: AttrValue): void {
  let i = sayings.length - 1
  // Mostly it is what it was.
  const last = sayings[i]
  if (last !== undefined && last.value === value && last.fromMs <= atMs) return
  while (i >= 0 && (sayings[i]?.fromMs ?? 0) > atMs) i--
  if (i >= 0 && sayings[i]?.value === value) return
  const next = sayings[i + 1]
  if (next?.value === value) next.fromMs = atMs
  else {
    sayings.splice(i + 1, 0, { fromMs: atMs, value })
    if (sayings.length > MOST_CHANGES) sayings.shift()
  }
}

const saidAt = (sayings: Sayings | undefined, atMs: number): AttrValue | undefined =>
  (sayings?.findLast(({ fromMs }) => fromMs <= atMs) ?? sayings?.[0])?.value
