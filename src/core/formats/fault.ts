/** One record that could not be read, and why. `line` and `byte` say where, as far as the format has them. */
export interface Fault {
  readonly line: number | null
  readonly byte: number | null
  readonly code: string
  /** What was wrong and what was expected. */
  readonly reason: string
  /** The beginning of the refused record, for a look. */
  readonly excerpt: string
}

export class Refusal extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

export const EXCERPT_LENGTH = 200
