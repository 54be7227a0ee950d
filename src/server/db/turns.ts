/** Who does not yield mostly asks again soon: so long nobody who yields begins after it (ms). */
const SOON_MS = 30
/** Whoever has yielded for so long goes in turn all the same. */
const PATIENCE_MS = 500

interface Waiting {
  readonly begin: () => Promise<void>
  readonly yields: boolean
  readonly sinceMs: number
}

/**
 * One after another, in the order in which they came; but whoever yields lets those go first that do not, for a while. A page asks for one thing after
 * the other, and would wait for a long piece of work before each of them.
 */
export class Turns {
  #waiting: Waiting[] = []
  #busy = false
  /** When somebody who does not yield was done last. */
  #doneMs = -Infinity
  #timer: NodeJS.Timeout | null = null

  take<T>(work: () => Promise<T>, yields = false): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      this.#waiting.push({ begin: () => work().then(resolve, reject), yields, sinceMs: performance.now() })
      this.#next()
    })
  }

  #next(): void {
    if (this.#busy) return
    const nowMs = performance.now()
    const quiet = nowMs >= this.#doneMs + SOON_MS
    const one = this.#waiting.find(({ yields, sinceMs }) => !yields || nowMs >= sinceMs + PATIENCE_MS) ?? (quiet ? this.#waiting[0] : undefined)
    if (!one) {
      if (this.#waiting.length > 0) this.#lookAgain()
      return
    }
    this.#waiting = this.#waiting.filter((other) => other !== one)
    this.#busy = true
    void one.begin().finally(() => {
      this.#busy = false
      if (!one.yields) this.#doneMs = performance.now()
      this.#next()
    })
  }

  #lookAgain(): void {
    this.#timer ??= setTimeout(() => {
      this.#timer = null
      this.#next()
    }, SOON_MS)
  }
}
