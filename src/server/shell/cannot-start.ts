/** Why the server does not start, in a sentence for whoever started it; the reason behind it is the cause. */
export class CannotStart extends Error {
  constructor(sentence: string, cause: unknown) {
    super(sentence, { cause })
    this.name = 'CannotStart'
  }
}

export const reasonOf = (error: unknown): string => (error instanceof Error ? error.message : String(error))
