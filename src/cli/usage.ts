/** A fault in what was asked for: answered with one sentence and exit code 2. */
export class UsageError extends Error {}
