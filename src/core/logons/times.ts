import { OUTCOMES, type Outcome } from './attempt'
import { SERIES } from './usual'

/** How long an attempt took, and how it went: what is laid side by side when logons are compared. */
export interface Times {
  readonly outcome: Outcome
  readonly first: boolean
  /** By SERIES, in whole milliseconds. */
  readonly durations: ArrayLike<number>
}

/** Times in columns, by the rows of a ledger: about 70 bytes each. */
export class TimesOfRows {
  #room = 1024
  #durations = SERIES.map(() => new Int32Array(this.#room))
  #outcomes = new Uint8Array(this.#room)
  #first = new Uint8Array(this.#room)

  set(row: number, { outcome, first, durations }: Times): void {
    if (row >= this.#room) this.#grow(row)
    this.#outcomes[row] = OUTCOMES.indexOf(outcome)
    this.#first[row] = first ? 1 : 0
    for (let i = 0; i < this.#durations.length; i++) {
      const column = this.#durations[i]
      if (column) column[row] = durations[i] ?? 0
    }
  }

  outcome(row: number): Outcome {
    return OUTCOMES[this.#outcomes[row] ?? 0] ?? 'open'
  }

  first(row: number): boolean {
    return this.#first[row] === 1
  }

  /** One of SERIES for every row. */
  column(series: number): Int32Array {
    return this.#durations[series] ?? new Int32Array(0)
  }

  of(row: number): Times {
    return { outcome: this.outcome(row), first: this.first(row), durations: this.#durations.map((column) => column[row] ?? 0) }
  }

  #grow(row: number): void {
    this.#room = Math.max(this.#room * 2, row + 1)
    const wider = <T extends Int32Array | Uint8Array>(old: T, made: T): T => {
      made.set(old)
      return made
    }
    this.#durations = this.#durations.map((column) => wider(column, new Int32Array(this.#room)))
    this.#outcomes = wider(this.#outcomes, new Uint8Array(this.#room))
    this.#first = wider(this.#first, new Uint8Array(this.#room))
  }
}
