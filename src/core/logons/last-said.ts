import type { Attempt } from './attempt'
import type { AttrValue } from './observation'

/** What a host is, whoever is on it. */
const OF_HOST = ['zone', 'site', 'image'] as const
/** Phases in which a share is used. */
const ON_SHARE: readonly string[] = ['container', 'profile']
/** Of so many hosts, and people on pools, it is known; of further ones, nothing. */
const MOST = 100_000

type OfHost = Partial<Record<(typeof OF_HOST)[number], AttrValue>>

/**
 * Sources do not say everything each time. Where a logon does not say in which zone its host is, or with which image, that is what was last said of the host; the share
 * of a person is the one that was last said of them on the same pool, if it got as far as that.
 */
export class LastSaid {
  readonly #hosts = new Map<string, OfHost>()
  readonly #shares = new Map<string, AttrValue>()

  /** By start: what of an attempt is also said of others. What is known first of a host or person was so before, too, as far as anybody said. */
  fillAll(attempts: readonly Attempt[]): Attempt[] {
    for (const attempt of attempts) this.#learn(attempt, false)
    return attempts.map((attempt) => this.fill(attempt))
  }

  /** The attempt with what it does not say itself; and what it says is known from then on. */
  fill(attempt: Attempt): Attempt {
    this.#learn(attempt, true)
    const { host, person, pool, attrs } = attempt
    let more: Record<string, AttrValue> | null = null
    const known = host === null ? undefined : this.#hosts.get(host)
    if (known)
      for (const name of OF_HOST) {
        const last = known[name]
        if (last !== undefined && attrs[name] === undefined) (more ??= { ...attrs })[name] = last
      }
    if (person !== null && attrs['share'] === undefined && this.#shares.size > 0) {
      const last = this.#shares.get(keyOf(person, pool))
      if (last !== undefined && attempt.phases.some(({ phase }) => ON_SHARE.includes(phase))) (more ??= { ...attrs })['share'] = last
    }
    return more === null ? attempt : { ...attempt, attrs: more }
  }

  /** @param anew also where it was said before */
  #learn({ host, person, pool, attrs }: Attempt, anew: boolean): void {
    if (host !== null) {
      let known = this.#hosts.get(host)
      if (!known && this.#hosts.size < MOST) this.#hosts.set(host, (known = {}))
      if (known)
        for (const name of OF_HOST) {
          const said = attrs[name]
          if (said !== undefined && said !== known[name] && (anew || known[name] === undefined)) known[name] = said
        }
    }
    const share = attrs['share']
    if (person === null || share === undefined) return
    const key = keyOf(person, pool)
    const last = this.#shares.get(key)
    if (share !== last && (last === undefined ? this.#shares.size < MOST : anew)) this.#shares.set(key, share)
  }
}

/** No name holds this character: readers do not let it in. */
const keyOf = (person: string, pool: string | null): string => `${person}\u0000${pool ?? ''}`
