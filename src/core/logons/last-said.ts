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

  /** The attempt with what it does not say itself; and what it says is known from then on. */
  fill(attempt: Attempt): Attempt {
    const { host, attrs } = attempt
    let more: Record<string, AttrValue> | null = null
    if (host !== null) {
      let known = this.#hosts.get(host)
      if (!known && this.#hosts.size < MOST) this.#hosts.set(host, (known = {}))
      if (known)
        for (const name of OF_HOST) {
          const said = attrs[name]
          const last = known[name]
          if (said === undefined) {
            if (last !== undefined) (more ??= { ...attrs })[name] = last
          } else if (said !== last) known[name] = said
        }
    }
    if (attempt.person !== null) {
      const key = `${attempt.person}|${attempt.pool ?? ''}`
      const said = attrs['share']
      const last = this.#shares.get(key)
      if (said === undefined) {
        if (last !== undefined && attempt.phases.some(({ phase }) => ON_SHARE.includes(phase))) (more ??= { ...attrs })['share'] = last
      } else if (said !== last && (last !== undefined || this.#shares.size < MOST)) this.#shares.set(key, said)
    }
    return more === null ? attempt : { ...attempt, attrs: more }
  }
}
