import { Histogram } from '../stats/histogram'
import type { Attempt } from './attempt'
import { ownParts } from './parts'

/** Too few to say what is ordinary. */
const ENOUGH = 20
/** A part that fewer of a pool's logons have is not one of all. */
const FEW = 0.2
/** With more parts of phases than this, further ones are not counted: names that somebody makes up for each logon are nobody's. */
const MOST_PARTS = 4000

/** A phase on a pool: so many logons had parts of it, and these took so long. */
interface OfPhase {
  n: number
  readonly parts: Map<string, Counted>
}
interface Counted {
  readonly histogram: Histogram
  cached: { readonly n: number; readonly medianMs: number } | null
}

/** What parts of phases take ordinarily, by pool. Fed with logons that say what is usual, and no others. */
export class OrdinaryParts {
  readonly #pools = new Map<string, Map<string, OfPhase>>()
  #count = 0

  add({ pool, parts }: Pick<Attempt, 'pool' | 'parts'>): void {
    if (parts.length === 0) return
    const phases = valueOf(this.#pools, pool ?? '', () => new Map<string, OfPhase>())
    for (const phase of new Set(parts.map((one) => one.phase))) {
      const of = valueOf(phases, phase, () => ({ n: 0, parts: new Map<string, Counted>() }))
      of.n++
      for (const { part, ownMs } of ownParts(parts, phase)) this.#counted(of, part.part)?.histogram.add(Math.round(ownMs))
    }
  }

  /** The middle one of a part's own times, 0 where hardly anybody has it; null where hardly any are known of its pool. */
  medianOf(pool: string | null, phase: string, part: string): number | null {
    const of = this.#pools.get(pool ?? '')?.get(phase)
    if (!of || of.n < ENOUGH) return null
    const counted = of.parts.get(part)
    if (!counted || counted.histogram.n < FEW * of.n) return 0
    const { n } = counted.histogram
    if (!counted.cached || Math.abs(counted.cached.n - n) * 30 >= n) counted.cached = { n, medianMs: counted.histogram.quantile(0.5) }
    return counted.cached.medianMs
  }

  #counted({ parts }: OfPhase, part: string): Counted | undefined {
    const found = parts.get(part)
    if (found || this.#count >= MOST_PARTS) return found
    this.#count++
    return valueOf(parts, part, () => ({ histogram: new Histogram(), cached: null }))
  }
}

function valueOf<K, V>(values: Map<K, V>, key: K, make: () => V): V {
  const found = values.get(key)
  if (found !== undefined) return found
  const made = make()
  values.set(key, made)
  return made
}
