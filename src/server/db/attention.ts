/** Whoever waits for longer looks at something else. */
const MOST_MS = 2000
/** A page that has one answer mostly asks for the next soon. */
const AFTER_MS = 30

/** How many pages are being answered now; one number that threads share. Who yields waits while there are any, see turns.ts. */
export class Attention {
  readonly #open: Int32Array

  constructor(readonly shared = new SharedArrayBuffer(4)) {
    this.#open = new Int32Array(shared)
  }

  get any(): boolean {
    return Atomics.load(this.#open, 0) > 0
  }

  /** Does what somebody who looks at a page waits for. */
  async during<T>(work: () => T | Promise<T>): Promise<T> {
    Atomics.add(this.#open, 0, 1)
    let isOpen = true
    const closeAfter = (ms: number) =>
      setTimeout(() => {
        if (isOpen) Atomics.sub(this.#open, 0, 1)
        isOpen = false
      }, ms).unref()
    const timer = closeAfter(MOST_MS)
    try {
      return await work()
    } finally {
      clearTimeout(timer)
      closeAfter(AFTER_MS)
    }
  }
}
