import { area, type Setting } from './setting'

const limits = area('time limits')
const clipboard = area('clipboard')
const printing = area('printing')
const drives = area('drives and home folder')
const devices = area('devices')
const watermark = area('watermark and capture')
const DAY_MIN = 24 * 60
const LESS = { combine: 'first', stricter: 'less' } as const
const OFF = { combine: 'strictest', stricter: 'off', takesEffect: 'at once' } as const
const out = (what: string) => `On: ${what} can be copied out of the session to the client.`
const into = (what: string) => `On: ${what} can be pasted from the client into the session.`

/** How long a session lives, and what may pass between it and the client. */
export const SESSION: readonly Setting[] = [
  limits.limit(
    'disconnectedMinutes',
    'Disconnected limit',
    'A disconnected session is logged off after this.',
    ['min', 1, 7 * DAY_MIN],
    'never',
    'none',
    { ...LESS, takesEffect: 'at once' },
  ),
  limits.limit(
    'idleMinutes',
    'Idle limit',
    'After this long without a key or a movement the session ends as said below.',
    ['min', 1, 7 * DAY_MIN],
    'never',
    'none',
    { ...LESS, takesEffect: 'at once' },
  ),
  limits.pick(
    'idleDoes',
    'At the idle limit',
    'What happens to an idle session.',
    { disconnect: 'is disconnected', 'log-off': 'is logged off' },
    'disconnect',
    { stricter: ['log-off', 'disconnect'], takesEffect: 'at once' },
  ),
  limits.limit('idleWarnMinutes', 'Warn before the idle limit', 'How long before it the person is told.', ['min', 1, 60], 'no warning', 2, {
    stricter: null,
    takesEffect: 'at once',
  }),
  limits.limit(
    'sessionMinutes',
    'Limit of the whole session',
    'A session is logged off after this, even while it is used.',
    ['min', 10, 30 * DAY_MIN],
    'never',
    'none',
    LESS,
  ),
  limits.limit(
    'sessionWarnMinutes',
    'Warn before the end of the session',
    'How long before it the person is told.',
    ['min', 1, 60],
    'no warning',
    10,
    { stricter: null },
  ),
  limits.limit('logonMinutes', 'Give up a logon', 'A logon that takes longer than this is ended.', ['min', 1, 60], 'never', 15, LESS),

  clipboard.turn('copyTextOut', 'Copying text out', out('text'), 'on', OFF),
  clipboard.turn('copyPicturesOut', 'Copying pictures out', out('a picture'), 'on', OFF),
  clipboard.turn('copyFilesOut', 'Copying files out', out('a file'), 'off', OFF),
  clipboard.turn('copyTextIn', 'Copying text in', into('text'), 'on', OFF),
  clipboard.turn('copyPicturesIn', 'Copying pictures in', into('a picture'), 'on', OFF),
  clipboard.turn('copyFilesIn', 'Copying files in', into('a file'), 'off', OFF),
  clipboard.limit('copyKib', 'Most that is copied at once', 'A larger piece is not copied.', ['KiB', 1, 1_048_576], 'anything', 'none', {
    combine: 'strictest',
    takesEffect: 'at once',
  }),

  printing.turn('printing', 'Printing', 'On: printers of the client can be used in the session.', 'on', { ...OFF, takesEffect: 'next logon' }),
  printing.pick(
    'printersTaken',
    'Printers taken along',
    'Which of the client’s printers appear.',
    { default: 'only the default one', all: 'all' },
    'default',
    { stricter: ['default', 'all'], needs: { setting: 'printing', is: ['on'] } },
  ),
  printing.list('printers', 'Printers given', 'Network printers that appear in every such session.', 'location', 50, { combine: 'union' }),
  printing.turn('printToFile', 'Print into a file', 'On: the client’s own “print to file” can be used, which takes pages out.', 'off', {
    ...OFF,
    takesEffect: 'next logon',
    needs: { setting: 'printing', is: ['on'] },
  }),

  drives.pick(
    'clientDrives',
    'Drives of the client',
    'How drives of the client appear in the session.',
    { no: 'do not appear', read: 'can be read', write: 'can be read and written' },
    'no',
    { combine: 'strictest', stricter: ['no', 'read', 'write'] },
  ),
  drives.turn('clientSticks', 'Sticks of the client', 'On: a stick put into the client appears as a drive.', 'off', {
    combine: 'strictest',
    stricter: 'off',
    needs: { setting: 'clientDrives', is: ['read', 'write'] },
  }),
  drives.words('homeFolder', 'Home folder', 'Where the home folder lies; %person% stands for the person.', '', { of: 'location' }),
  drives.pick(
    'homeLetter',
    'Letter of the home folder',
    'The drive letter under which the home folder appears.',
    { H: 'H:', P: 'P:', U: 'U:', Z: 'Z:' },
    'H',
  ),
  drives.list('drives', 'Drives given', 'Shares that appear under a letter, such as S: \\\\server\\share.', 'drive', 26, { combine: 'union' }),

  devices.turn('microphone', 'Microphone', 'On: the client’s microphone can be used.', 'on', OFF),
  devices.turn('camera', 'Camera', 'On: the client’s camera can be used.', 'off', OFF),
  devices.turn('speakers', 'Speakers', 'On: sound is played at the client.', 'on', OFF),
  devices.turn('securityKeys', 'Security keys inside', 'On: a security key at the client can be used from inside the session.', 'off', {
    ...OFF,
    takesEffect: 'next logon',
  }),
  devices.turn('scanners', 'Scanners', 'On: a scanner at the client can be used.', 'off', OFF),
  devices.turn('serialPorts', 'Serial ports', 'On: serial ports of the client can be used, as ticket printers need.', 'off', OFF),
  devices.turn('otherDevices', 'Other devices', 'On: any other device at the client can be used.', 'off', OFF),
  devices.turn('place', 'Place of the client', 'On: programs in the session learn where the client is.', 'off', OFF),

  watermark.turn('watermark', 'Watermark', 'On: every window carries a faint text that tells whose session it is.', 'off', {
    combine: 'strictest',
    stricter: 'on',
    takesEffect: 'at once',
  }),
  watermark.pick(
    'watermarkText',
    'The watermark says',
    'What the faint text tells.',
    { person: 'the person', 'person-host': 'person and host', 'person-host-time': 'person, host and time' },
    'person-host',
    { stricter: ['person-host-time', 'person-host', 'person'], needs: { setting: 'watermark', is: ['on'] }, takesEffect: 'at once' },
  ),
  watermark.measure('watermarkPercent', 'Strength of the watermark', 'How visible it is.', ['%', 5, 60], 15, {
    stricter: 'more',
    needs: { setting: 'watermark', is: ['on'] },
    takesEffect: 'at once',
  }),
  watermark.turn('capture', 'Screen capture', 'On: programs at the client can take pictures of the session.', 'on', OFF),
]
