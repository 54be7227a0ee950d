import { ENOUGH, isExact, learn, type Attempt, type Blame, type Kind, type OfItself, type Usual } from '../../core/logons'

/** What fewer than this came before says is usual may still be moved by what is ill. */
const STEADY = 200

/**
 * Of a kind that hardly ever came before, those that come together say what is usual; and while few did, what is ill among them does not count for it.
 * Worked out where there is such a kind.
 */
export class FewBefore {
  #ofItself: OfItself | null = null

  /** @param together none where all are looked at again, mostly as they were unusual: they would say of each other that they are not */
  constructor(private readonly together: readonly { readonly attempt: Attempt; readonly split: Blame }[]) {}

  /**
   * What an attempt is held against.
   * @param earlier what is usual by what came before, the best first
   * @param after what is usual by what came after it: asked where none came together
   */
  usualFor(kind: Kind, earlier: readonly (Usual | null)[], after: () => readonly (Usual | null)[]): Usual | null {
    const exact = earlier.find((one) => one && isExact(one))
    if ((exact?.n ?? 0) < STEADY) this.#ofItself ??= learn(this.together)
    if (exact) return exact
    const usuals = [...earlier, ...(this.together.length === 0 ? after() : [this.#ofItself?.usual.usualFor(kind) ?? null])]
    return (
      usuals.find((one) => one && isExact(one)) ?? usuals.find((one) => one !== null && one.n >= ENOUGH) ?? usuals.find((one) => one !== null) ?? null
    )
  }

  isIll(attempt: Attempt): boolean {
    return this.#ofItself?.ill.has(attempt) === true
  }
}
