/** So often it is looked whether those who yield may begin (ms). */
const LOOK_MS = 10
/** Whoever has yielded for so long goes in turn all the same. */
const PATIENCE_MS = 500

interface Waiting {
  readonly begin: () => Promise<void>
  readonly yields: boolean
  readonly sinceMs: number
}

/**
 * One after another, in the order in which they came; but whoever yields lets those go first that do not, and waits while somebody waits for a page, for a while. A page
 * asks for one thing after the other, and would wait for a long piece of work before each of them.
 */
export class Turns {
  #waiting: Waiting[] = []
  #busy = false
  #timer: NodeJS.Timeout | null = null

  /** @param isAwaited whether somebody waits for a page now */
  constructor(private readonly isAwaited: () => boolean) {}

  take<T>(work: () => Promise<T>, yields = false): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      this.#waiting.push({ begin: () => work().then(resolve, reject), yields, sinceMs: performance.now() })
      this.#next()
    })
  }

  #next(): void {
    if (this.#busy) return
    const nowMs = performance.now()
    const one =
      this.#waiting.find(({ yields, sinceMs }) => !yields || nowMs >= sinceMs + PATIENCE_MS) ?? (this.isAwaited() ? undefined : this.#waiting[0])
    if (!one) {
      if (this.#waiting.length > 0) this.#lookAgain()
      return
    }
    this.#waiting = this.#waiting.filter((other) => other !== one)
    this.#busy = true
    void one.begin().finally(() => {
      this.#busy = false
      this.#next()
    })
  }

  #lookAgain(): void {
    this.#timer ??= setTimeout(() => {
      this.#timer = null
      this.#next()
    }, LOOK_MS)
  }
}
