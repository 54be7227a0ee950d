/** Every failure that a user can see: a stable code, a status, and a sentence that says what to do. Answered as RFC 9457 problems. */
const ERRORS = {
  'request.invalid': [400, 'The request is not as expected.'],
  'sign-in.required': [401, 'Sign in first.'],
  'first-account.code': [403, 'The code is not the one that the server printed at its start.'],
  'first-account.over': [409, 'There is an account already. Sign in, or ask who has it.'],
  'password.wrong': [403, 'That is not your password.'],
  'account.unknown': [404, 'No account has this name.'],
  'account.taken': [409, 'An account has this name already.'],
  'account.last': [409, 'Nobody could administer Ikebana any more. Make another administrator first.'],
  'account.own': [409, 'Nobody forgets their own account. Ask another administrator.'],
  'token.unknown': [404, 'No token has this id.'],
  'sign-in.wrong': [401, 'Name or password is wrong.'],
  'token.wrong': [401, 'The token is missing or not known.'],
  'role.insufficient': [403, 'Your role does not include this.'],
  'token.scope': [403, 'The token was not made for this.'],
  'csrf.missing': [403, 'The page is out of date. Load it again.'],
  'not-found': [404, 'There is nothing here.'],
  'attempt.unknown': [404, 'No attempt has this id.'],
  'incident.unknown': [404, 'No incident of this window is called that any more.'],
  'change.unknown': [404, 'No change has this id.'],
  'event-map.unknown': [404, 'No map of events is called that.'],
  'event-map.invalid': [422, 'The map has entries that cannot be used. Nothing was kept.'],
  'person.unknown': [404, 'No person has this name.'],
  'upload.unknown': [404, 'No upload has this id.'],
  'share.unknown': [404, 'No share has this id.'],
  'share.unread': [502, 'The share does not tell its permissions.'],
  'pool.unknown': [404, 'No pool has this id.'],
  'container.unknown': [404, 'No container has this id.'],
  'container.busy': [409, 'This cannot be done to the container now.'],
  'job.unknown': [404, 'No job has this id.'],
  'policy.outdated': [409, 'Somebody published in between. Look at their version first.'],
  'policy.invalid': [422, 'The policy has entries that hosts could not use.'],
  'policy.rolling': [409, 'A version is on its way to the hosts. Let it arrive, or take it back, first.'],
  'promise.broken': [409, 'A promise would be broken. Change the draft, or waive the promise with a reason and an end.'],
  'draft.none': [409, 'There is no draft.'],
  'remedy.none': [409, 'There is nothing to do here any more.'],
  'body.too-large': [413, 'This is larger than what is taken at once.'],
  'format.unknown': [415, 'This content type is not understood here.'],
  'rate.limited': [429, 'Too many tries. Wait a minute.'],
  'fleet.unreachable': [502, 'The fleet does not answer. Nothing was changed.'],
  internal: [500, 'Something went wrong here. Nothing was lost; the log has the details.'],
} as const satisfies Record<string, readonly [number, string]>

export type ErrorCode = keyof typeof ERRORS

/** Thrown anywhere in the server; answered with its row of the table. */
export class Problem extends Error {
  readonly status: number
  readonly title: string
  constructor(
    readonly code: ErrorCode,
    readonly detail?: string,
    readonly where?: readonly { path: string; sentence: string }[],
  ) {
    super(detail ?? ERRORS[code][1])
    this.status = ERRORS[code][0]
    this.title = ERRORS[code][1]
  }
}
