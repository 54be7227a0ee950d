/**
 * Codes that evidence carries, with one canonical spelling each.
 * NTSTATUS values: [MS-ERREF] 2.3; Kerberos values: RFC 4120 section 7.5.9. Both written from memory;
 * codes.test.ts compares the NTSTATUS ones with an independent list where that is installed.
 */
export interface Code {
  readonly code: string
  readonly number: number | null
  readonly says: string
  /** Whether this code, at the end of an attempt, means that it failed. */
  readonly fails: boolean
}

const NTSTATUS: readonly [number, string, string][] = [
  [0xc0000022, 'STATUS_ACCESS_DENIED', 'access denied'],
  [0xc0000032, 'STATUS_DISK_CORRUPT_ERROR', 'the disk structure is damaged'],
  [0xc0000033, 'STATUS_OBJECT_NAME_INVALID', 'the name is not written as one'],
  [0xc0000039, 'STATUS_OBJECT_PATH_INVALID', 'the path is not valid'],
  [0xc000003a, 'STATUS_OBJECT_PATH_NOT_FOUND', 'the path does not exist'],
  [0xc000003b, 'STATUS_OBJECT_PATH_SYNTAX_BAD', 'the path is not written as one'],
  [0xc0000043, 'STATUS_SHARING_VIOLATION', 'the file is in use elsewhere'],
  [0xc0000064, 'STATUS_NO_SUCH_USER', 'no such account'],
  [0xc000006a, 'STATUS_WRONG_PASSWORD', 'wrong password'],
  [0xc000006d, 'STATUS_LOGON_FAILURE', 'sign-on refused'],
  [0xc000006f, 'STATUS_INVALID_LOGON_HOURS', 'not allowed at this hour'],
  [0xc0000070, 'STATUS_INVALID_WORKSTATION', 'not allowed from this device'],
  [0xc0000071, 'STATUS_PASSWORD_EXPIRED', 'the password has expired'],
  [0xc0000072, 'STATUS_ACCOUNT_DISABLED', 'the account is switched off'],
  [0xc000007f, 'STATUS_DISK_FULL', 'no room left'],
  [0xc00000b5, 'STATUS_IO_TIMEOUT', 'the server did not answer in time'],
  [0xc00000be, 'STATUS_BAD_NETWORK_PATH', 'the network path was not found'],
  [0xc00000cc, 'STATUS_BAD_NETWORK_NAME', 'the share name was not found'],
  [0xc0000102, 'STATUS_FILE_CORRUPT_ERROR', 'the file is damaged'],
  [0xc0000133, 'STATUS_TIME_DIFFERENCE_AT_DC', 'the clocks differ too much'],
  [0xc000015b, 'STATUS_LOGON_TYPE_NOT_GRANTED', 'this kind of logon is not granted here'],
  [0xc0000193, 'STATUS_ACCOUNT_EXPIRED', 'the account is past its end date'],
  [0xc0000224, 'STATUS_PASSWORD_MUST_CHANGE', 'the password must be changed'],
  [0xc0000234, 'STATUS_ACCOUNT_LOCKED_OUT', 'locked after too many tries'],
]

const KERBEROS: readonly [number, string, string][] = [
  [6, 'KDC_ERR_C_PRINCIPAL_UNKNOWN', 'no such account'],
  [18, 'KDC_ERR_CLIENT_REVOKED', 'the account is switched off'],
  [23, 'KDC_ERR_KEY_EXPIRED', 'the password has expired'],
  [24, 'KDC_ERR_PREAUTH_FAILED', 'wrong password'],
  [37, 'KRB_AP_ERR_SKEW', 'the clocks differ too much'],
]

/** Codes of our own, for sources that have no standard one. */
const OWN: readonly [string, string, boolean][] = [
  ['broker.refused', 'the broker refused', true],
  ['broker.no-free-desktop', 'no free desktop', true],
  ['broker.all-draining', 'every host refuses new sessions', true],
  ['broker.no-licence', 'no licence', true],
  ['host.no-answer', 'the host does not answer', true],
  ['factor.timeout', 'the second factor timed out', true],
  ['factor.declined', 'the second factor was declined', true],
  ['factor.not-enrolled', 'no second factor is enrolled', true],
  ['factor.approved', 'the second factor was approved', false],
  ['name.unknown-form', 'the account name has an unknown form', true],
  ['trust.expired', 'a certificate or secret is past its date', true],
  ['trust.bad-authenticator', 'the shared secret does not match', true],
  ['trust.audience', 'the audience does not match', true],
  ['trust.target', 'the relay target does not match', true],
  ['container.retry', 'trying the container again', false],
  ['container.held', 'the container is held elsewhere', true],
  ['container.damaged', 'the container is damaged', true],
  ['container.full', 'no room left inside the container', true],
  ['share.full', 'no room left on the share', true],
  ['share.unreachable', 'the share does not answer', true],
  ['location.invalid', 'the location is not a usable path', true],
  ['locations.too-few', 'too few locations can be written', true],
  ['leftover.found', 'a local profile stands in the way', false],
  ['profile.temporary', 'a temporary profile was used', false],
  ['scope.none', 'no policy covers this person', false],
  ['agent.missing', 'no agent on the host', false],
  ['settings.missing', 'settings are missing on the host', false],
  ['restart.pending', 'a restart is pending on the host', false],
  ['scanner.active', 'a scanner reads the container while it is attached', false],
]

const CODES: ReadonlyMap<string, Code> = new Map<string, Code>([
  ...NTSTATUS.map(([number, code, says]) => [code, { code, number, says, fails: true }] as const),
  ...KERBEROS.map(([number, code, says]) => [code, { code, number, says, fails: true }] as const),
  ...OWN.map(([code, says, fails]) => [code, { code, number: null, says, fails }] as const),
])

const BY_NUMBER = new Map(NTSTATUS.map(([number, code]) => [number, code]))
const BY_LOWER = new Map([...CODES.keys()].map((code) => [code.toLowerCase(), code]))

/**
 * The canonical spelling of a code: `0xC0000043`, `C0000043`, its decimal forms `3221225539` and `-1073741757`, and `status_sharing_violation` all give
 * `STATUS_SHARING_VIOLATION`. A code that we do not know comes back as it was written.
 */
export function canonicalCode(written: string): string {
  const text = written.trim()
  const number = HEX.test(text) ? Number.parseInt(text.slice(-8).replace(/^.*x/i, ''), 16) : DECIMAL.test(text) ? Number(text) : null
  return (number === null ? undefined : BY_NUMBER.get(number >>> 0)) ?? BY_LOWER.get(text.toLowerCase()) ?? text
}
/** With or without the sign carried on to 64 bits. */
const HEX = /^(0x(f{8})?[0-9a-f]{1,8}|c0[0-9a-f]{6})$/i
const DECIMAL = /^(-1\d{9}|3\d{9})$/

/** What a code means, in a few words, or the code itself where we do not know it. */
export function codeSays(code: string): string {
  return CODES.get(code)?.says ?? code
}

/** The hexadecimal form of an NTSTATUS code, or null for the others. */
export function codeNumber(code: string): string | null {
  const known = CODES.get(code)
  return known?.number == null || known.number < 0xc0000000 ? null : '0x' + known.number.toString(16).toUpperCase()
}

/** Whether a code, with nothing good after it, means that the attempt failed. Unknown codes do not. */
export function codeFails(code: string): boolean {
  return CODES.get(code)?.fails ?? false
}
