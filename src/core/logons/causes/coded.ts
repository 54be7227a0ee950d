import { readLocation } from '../../policies/location'
import { codeNumber, codeSays } from '../codes'
import type { Facts } from '../facts'
import { clue, tell, type Cause, type Clue } from './cause'

/** Causes that a code alone decides. Rows: id, codes, title, sentence, what to do, what to tell the person. */
const ROWS: readonly [id: string, codes: readonly string[], title: string, sentence: string, remedy: string, toPerson: string][] = [
  [
    'wrong-password',
    ['STATUS_WRONG_PASSWORD', 'KDC_ERR_PREAUTH_FAILED'],
    'Wrong password',
    'The password was wrong.',
    'Ask them to try once more with care, or set a new password.',
    'Your password was not accepted. Please try again.',
  ],
  [
    'no-such-account',
    ['STATUS_NO_SUCH_USER', 'KDC_ERR_C_PRINCIPAL_UNKNOWN'],
    'Account not known',
    'The account is not known where it was looked up.',
    'Check how the name was written, and whether the account has arrived in this directory.',
    'Your account was not found. Please call the service desk.',
  ],
  [
    'account-locked',
    ['STATUS_ACCOUNT_LOCKED_OUT'],
    'Account locked',
    'The account is locked after too many tries.',
    'Find what keeps trying an old password (a phone, a forgotten session), then unlock the account.',
    'Your account is locked after too many tries. The service desk can unlock it.',
  ],
  [
    'account-disabled',
    ['STATUS_ACCOUNT_DISABLED', 'KDC_ERR_CLIENT_REVOKED'],
    'Account switched off',
    'The account is switched off.',
    'Ask whoever looks after joiners and leavers whether that is intended.',
    'Your account is switched off. Please call the service desk.',
  ],
  [
    'password-expired',
    ['STATUS_PASSWORD_EXPIRED', 'STATUS_PASSWORD_MUST_CHANGE', 'KDC_ERR_KEY_EXPIRED'],
    'Password must be changed',
    'The password has expired or must be changed first.',
    'Let them change it where that is possible before a logon, or set a new one.',
    'Your password has to be changed before you can go on.',
  ],
  [
    'account-expired',
    ['STATUS_ACCOUNT_EXPIRED'],
    'Account past its end date',
    'The account is past its end date.',
    'Ask whether the contract goes on, and move the end date.',
    'Your account has run out. Please call the service desk.',
  ],
  [
    'outside-hours',
    ['STATUS_INVALID_LOGON_HOURS'],
    'Not allowed at this hour',
    'The account may not be used at this hour.',
    'Check the hours of the account against the shift plan.',
    'You cannot log on at this hour.',
  ],
  [
    'not-allowed-here',
    ['STATUS_LOGON_TYPE_NOT_GRANTED', 'STATUS_INVALID_WORKSTATION'],
    'Not allowed here',
    'The account has no right to log on here.',
    'Check the logon right of this pool and the list of devices on the account.',
    'You may not log on at this place.',
  ],
  [
    'second-factor-declined',
    ['factor.declined'],
    'Second factor declined',
    'The second factor was declined by the person.',
    'Ask whether they declined it themselves. If not, somebody else has their password.',
    'The request on your phone was declined.',
  ],
  [
    'second-factor-missing',
    ['factor.not-enrolled'],
    'No second factor enrolled',
    'No second factor is enrolled for this account.',
    'Enrol them, or take them off the list until they are.',
    'You have not set up your second factor yet.',
  ],
  [
    'no-licence',
    ['broker.no-licence'],
    'No licence',
    'No desktop could be built for lack of a licence.',
    'Free or buy licences for this build plan.',
    'There is no desktop for you yet. The service desk knows.',
  ],
  [
    'name-form',
    ['name.unknown-form'],
    'Account name in an unknown form',
    'Both sides write the account name differently.',
    'Compare the form that the gateway sends with the form that the other side expects.',
    'Your account name was not understood. Please call the service desk.',
  ],
  [
    'trust-expired',
    ['trust.expired'],
    'Certificate or secret expired',
    'A certificate or secret on the sign-on route is past its date.',
    'Renew it on both sides.',
    'Signing on is out of order. We are working on it.',
  ],
  [
    'trust-mismatch',
    ['trust.bad-authenticator', 'trust.audience', 'trust.target'],
    'Sign-on settings do not match',
    'Two systems on the sign-on route do not agree on their settings.',
    'Compare secret, audience, return address and relay target on both sides.',
    'Signing on is out of order. We are working on it.',
  ],
  [
    'location-invalid',
    ['location.invalid', 'STATUS_OBJECT_PATH_SYNTAX_BAD', 'STATUS_OBJECT_PATH_INVALID', 'STATUS_OBJECT_NAME_INVALID'],
    'Location is not a usable path',
    'The host was given a location that is not a usable path.',
    'Correct the location in the policy and publish it.',
    'Your desktop could not find its settings. We are working on it.',
  ],
  [
    'too-few-locations',
    ['locations.too-few'],
    'Too few writable locations',
    'Fewer mirrored locations could be written than the policy requires.',
    'Bring a location back, or lower the minimum for now.',
    'Your desktop could not reach its storage. We are working on it.',
  ],
  [
    'container-damaged',
    ['container.damaged', 'STATUS_DISK_CORRUPT_ERROR', 'STATUS_FILE_CORRUPT_ERROR'],
    'Container damaged',
    'The structure of the container is damaged.',
    'Look at the file under Containers, copy it aside, and restore it or repair the copy.',
    'Your profile needs a repair. The service desk knows.',
  ],
]

/** Where they sit, as far as that is known beforehand. */
const AT: Readonly<Record<string, readonly string[]>> = {
  'wrong-password': ['person'],
  'no-such-account': ['person', 'group'],
  'account-locked': ['person', 'group'],
  'account-disabled': ['person', 'group'],
  'password-expired': ['person', 'group'],
  'account-expired': ['person', 'group'],
  'outside-hours': ['person', 'group'],
  'not-allowed-here': ['person', 'group', 'pool', 'host'],
  'second-factor-declined': ['person'],
  'second-factor-missing': ['person', 'group'],
  'container-damaged': ['person', 'share'],
}

const REVOKED = 'KDC_ERR_CLIENT_REVOKED'
const WHY_REVOKED = ['STATUS_ACCOUNT_LOCKED_OUT', 'STATUS_ACCOUNT_EXPIRED', 'STATUS_INVALID_LOGON_HOURS', 'STATUS_PASSWORD_EXPIRED']

/** What the attributes show where no code says it. */
const SHOWN: Readonly<Record<string, (facts: Facts) => readonly Clue[] | null>> = {
  'location-invalid': (facts) => {
    const written = facts.attempt.attrs['location']
    if (typeof written !== 'string' || !(facts.ran('container') || facts.ran('profile'))) return null
    const location = readLocation(written)
    // Sources may give a location a name of their own: only what is meant as a path can be a wrong one.
    if (location.ok || location.code === 'location.not-a-share') return null
    return [clue(6.5, `The location that the host was given cannot be used. ${location.wrong}`, 'location')]
  },
  'too-few-locations': (facts) => {
    const [writable, required] = [facts.number('locationsWritable'), facts.number('locationsRequired')]
    return writable === null || required === null || writable >= required
      ? null
      : [clue(6.5, `${writable} of ${required} locations that are required could be written.`, 'locationsWritable')]
  },
}

export const codedCauses: readonly Cause[] = ROWS.map(([id, codes, title, sentence, remedy, toPerson]) => ({
  id,
  about: 'failure',
  title,
  ...(AT[id] ? { at: AT[id] } : {}),
  prior: -5,
  toPerson,
  look(facts) {
    if (!facts.failed) return null
    const found = facts.attempt.marks.filter((mark) => mark.code !== null && codes.includes(mark.code))
    const first = found[0]
    const shown = SHOWN[id]?.(facts) ?? null
    if (!first?.code) return shown
    // The Kerberos code stands for several reasons; another code beside it says which.
    const weight = found.every(({ code }) => code === REVOKED) && facts.has(...WHY_REVOKED) ? 3 : 9
    const times = found.length > 1 ? `, ${found.length} times` : ''
    return [
      clue(
        weight,
        `${first.phase ? `During ${first.phase}: ` : ''}${codeSays(first.code)}${times}.`,
        codeNumber(first.code) ? `${codeNumber(first.code)} ${first.code}` : first.code,
      ),
      // The code has decided it; this shows why.
      ...(shown ?? []).map((one) => ({ ...one, weight: 1 })),
    ]
  },
  sentence: () => sentence,
  remedy: () => tell(remedy, 'Ikebana cannot do this itself.'),
}))
