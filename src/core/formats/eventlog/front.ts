/** Where the reading of one file is: the moments of the first event and of the last one that was read of it. */
interface Position {
  firstMs: number
  ms: number
}

/** Where the files of one evidence are that are read beside each other, or one after another: what all of them have passed is known. They may be written backwards. */
export class Front {
  readonly #open = new Set<Position>()

  /** Another file is read now. @returns takes the moment of each of its events, and NaN at its end */
  open(): (ms: number) => void {
    const at = { firstMs: NaN, ms: NaN }
    this.#open.add(at)
    return (ms) => {
      if (Number.isNaN(ms)) this.#open.delete(at)
      else {
        if (Number.isNaN(at.firstMs)) at.firstMs = ms
        at.ms = ms
      }
    }
  }

  /** What all open files have passed by so much. Of one without an event yet, nothing is passed. */
  passed(byMs: number): (ms: number) => boolean {
    let [beforeMs, afterMs] = [Infinity, -Infinity]
    for (const { firstMs, ms } of this.#open) {
      if (Number.isNaN(ms)) return () => false
      if (ms >= firstMs) beforeMs = Math.min(beforeMs, ms - byMs)
      else afterMs = Math.max(afterMs, ms + byMs)
    }
    return (ms) => ms < beforeMs && ms > afterMs
  }
}
