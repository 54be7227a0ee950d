import { readAccount } from '../../people/account'
import { remembering } from '../../stats/remembering'

/** When somebody, or something, was seen. */
export interface Moment {
  readonly timeMs: number
  readonly name: string
  /** Without its domain: by this two spellings are the same person. */
  readonly short: string
}

const BUCKET_MS = 120_000
/** So many stretches of two minutes are remembered of each machine, session or person: a month of busy days. */
const MOST_BUCKETS = 5000

/** The moments of two minutes: of a large log there are millions, so each is two numbers. */
interface Bucket {
  readonly ms: number[]
  readonly who: number[]
}

/** Moments by key and time, so that those near a moment are found at once. */
export class Seen {
  readonly #byKey = new Map<string, Map<number, Bucket>>()
  readonly #names: string[] = []
  readonly #numbers = new Map<string, number>()

  add(key: string, timeMs: number, name: string): void {
    let buckets = this.#byKey.get(key)
    if (!buckets) this.#byKey.set(key, (buckets = new Map<number, Bucket>()))
    const at = Math.floor(timeMs / BUCKET_MS)
    const who = this.#numberOf(name)
    const bucket = buckets.get(at)
    if (!bucket) buckets.set(at, { ms: [timeMs], who: [who] })
    // One event may be several observations.
    else if (bucket.ms.at(-1) !== timeMs || bucket.who.at(-1) !== who) {
      bucket.ms.push(timeMs)
      bucket.who.push(who)
    }
    if (buckets.size > MOST_BUCKETS) buckets.delete(buckets.keys().next().value ?? NaN)
  }

  /** Those within a time of a moment. */
  *near(key: string, timeMs: number, withinMs: number): Generator<Moment> {
    const buckets = this.#byKey.get(key)
    if (!buckets) return
    for (let at = Math.floor((timeMs - withinMs) / BUCKET_MS); at <= Math.floor((timeMs + withinMs) / BUCKET_MS); at++) {
      const { ms, who } = buckets.get(at) ?? NONE
      for (let i = 0; i < ms.length; i++) {
        const one = ms[i] ?? 0
        if (Math.abs(one - timeMs) > withinMs) continue
        const name = this.#names[who[i] ?? 0] ?? ''
        yield { timeMs: one, name, short: shortName(name) }
      }
    }
  }

  nearest(key: string, timeMs: number, withinMs: number): string | undefined {
    let best: Moment | undefined
    for (const one of this.near(key, timeMs, withinMs)) if (!best || Math.abs(one.timeMs - timeMs) < Math.abs(best.timeMs - timeMs)) best = one
    return best?.name
  }

  #numberOf(name: string): number {
    let number = this.#numbers.get(name)
    if (number === undefined) {
      number = this.#names.push(name) - 1
      this.#numbers.set(name, number)
    }
    return number
  }
}

const NONE: Bucket = { ms: [], who: [] }

/** People come again and again. */
export const shortName = remembering(100_000, (name) => readAccount(name).key)
