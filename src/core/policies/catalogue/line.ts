import { area, type Setting } from './setting'

const picture = area('picture by line')
const transport = area('transport and calls')
const signOn = area('sign-on and lock')
const admin = area('local administrator')
const self = area('self-service')
const packages = area('packages')
const logons = area('logons')

/** How the session looks on its line, who may enter it, and what a person may do on their own. */
export const LINE: readonly Setting[] = [
  picture.measure('lowKbps', 'Low line below', 'Below this measured bandwidth a session counts as on a low line.', ['kbit/s', 32, 100_000], 256, {
    takesEffect: 'at once',
  }),
  picture.measure(
    'mediumKbps',
    'Medium line below',
    'Below this, and not low, it counts as on a medium line; from it on as full.',
    ['kbit/s', 32, 100_000],
    512,
    { takesEffect: 'at once' },
  ),
  picture.measure('farMs', 'Far beyond', 'Beyond this measured round trip a session counts as far, and gets one class less.', ['ms', 20, 2000], 250, {
    takesEffect: 'at once',
  }),
  picture.measure(
    'lineMarginPercent',
    'Margin before a class changes',
    'A line must be better than the limit by this much before the class goes up again.',
    ['%', 0, 100],
    20,
    { takesEffect: 'at once' },
  ),
  picture.measure('lowFrames', 'Pictures a second, low line', 'At most so many pictures a second.', ['a second', 1, 60], 8, {
    takesEffect: 'at once',
  }),
  picture.measure('mediumFrames', 'Pictures a second, medium line', 'At most so many pictures a second.', ['a second', 1, 60], 16, {
    takesEffect: 'at once',
  }),
  picture.measure('fullFrames', 'Pictures a second, full line', 'At most so many pictures a second.', ['a second', 1, 120], 30, {
    takesEffect: 'at once',
  }),
  picture.turn('sharpText', 'Sharp text', 'On: text is sent without loss, at the price of bandwidth.', 'on', { takesEffect: 'at once' }),
  picture.turn('graphics', 'Graphics processor', 'On: drawing uses the host’s graphics processor where it has one.', 'off', {
    takesEffect: 'host restart',
    holdsFor: 'host',
  }),

  transport.pick(
    'transport',
    'Transport',
    'Whether the client speaks with the host directly or over a relay.',
    { 'direct-only': 'direct, or not at all', 'direct-first': 'direct where possible', relay: 'always over the relay' },
    'direct-first',
  ),
  transport.measure('directTryMs', 'Try directly for', 'How long to try before the relay is taken.', ['ms', 100, 10_000], 1500, {
    needs: { setting: 'transport', is: ['direct-first'] },
  }),
  transport.turn('callOffload', 'Calls at the client', 'On: sound and picture of calls go from client to client, not through the host.', 'off'),
  transport.turn('callFallback', 'Calls on the host otherwise', 'On: where the client cannot, calls run on the host; off: without picture.', 'on', {
    needs: { setting: 'callOffload', is: ['on'] },
  }),
  transport.pick(
    'sound',
    'Quality of sound',
    'How much of the line sound may take.',
    { low: 'as on the telephone', medium: 'speech and music', high: 'as recorded' },
    'medium',
  ),

  signOn.pick(
    'signOnStrength',
    'Sign-on needs at least',
    'With less, the logon is refused.',
    { password: 'a password', 'second-factor': 'a second factor', key: 'a security key' },
    'password',
    { combine: 'strictest', stricter: ['key', 'second-factor', 'password'] },
  ),
  signOn.limit(
    'signOnAgainMinutes',
    'Sign on again after',
    'A running session asks for the sign-on again after this.',
    ['min', 5, 7 * 24 * 60],
    'never',
    'none',
    { combine: 'strictest', takesEffect: 'at once' },
  ),
  signOn.turn('passOn', 'Pass on the sign-on', 'On: who is signed on at their own device is not asked a second time.', 'on', { stricter: 'off' }),
  signOn.measure('factorSeconds', 'Wait for the second factor', 'How long a person has to approve.', ['s', 10, 600], 120),
  signOn.limit('lockMinutes', 'Lock after', 'An untouched session is locked after this.', ['min', 1, 24 * 60], 'never', 15, {
    combine: 'strictest',
    takesEffect: 'at once',
  }),
  signOn.pick(
    'keyRemoved',
    'When the security key is taken out',
    'What happens to the session.',
    { nothing: 'nothing', lock: 'is locked', disconnect: 'is disconnected' },
    'lock',
    { combine: 'strictest', stricter: ['disconnect', 'lock', 'nothing'], takesEffect: 'at once' },
  ),
  signOn.turn('lockAtDisconnect', 'Locked on return', 'On: who comes back to a disconnected session signs on again.', 'on', {
    combine: 'strictest',
    stricter: 'on',
    takesEffect: 'at once',
  }),
  signOn.words('signOnMessage', 'Words before sign-on', 'Shown before anybody signs on; blank: nothing.', ''),

  admin.pick(
    'localAdministrator',
    'Administrator of one’s own desktop',
    'Only on desktops that are assigned to one person; elsewhere it gives nothing.',
    { nobody: 'nobody', assigned: 'the person it is assigned to' },
    'nobody',
    { combine: 'first', stricter: ['nobody', 'assigned'] },
  ),
  admin.limit(
    'localAdministratorHours',
    'Administrator for',
    'After this the right is taken away again.',
    ['h', 1, 24 * 90],
    'until it is taken away',
    8,
    { needs: { setting: 'localAdministrator', is: ['assigned'] } },
  ),

  self.turn('selfRestart', 'Restart one’s own desktop', 'On: a person can restart their desktop without calling.', 'on'),
  self.turn('selfReset', 'Reset one’s own desktop', 'On: a person can set their desktop back to its image.', 'off', { stricter: 'off' }),
  self.turn('selfSnapshot', 'Take a snapshot', 'On: a person can keep the present state of their desktop and go back to it.', 'off', {
    stricter: 'off',
  }),
  self.pick(
    'snapshotEvery',
    'Snapshots are taken',
    'How often the state of kept desktops is kept without anybody asking.',
    { never: 'never', '6h': 'every 6 hours', '24h': 'every 24 hours' },
    'never',
  ),
  self.measure('snapshotsKept', 'Snapshots kept', 'Older ones are deleted.', ['snapshots', 1, 60], 7, {
    needs: { setting: 'snapshotEvery', is: ['6h', '24h'] },
  }),

  packages.list('packages', 'Packages', 'Application packages attached at logon.', 'name', 200, { combine: 'union' }),
  packages.measure('packagesSeconds', 'Wait for packages', 'After this the desktop is shown, and packages come later.', ['s', 1, 300], 20),
  packages.turn('packagesMissing', 'Log on without a package', 'On: a package that cannot be had does not stop the logon.', 'on', {
    stricter: 'off',
  }),

  logons.measure('slowSeconds', 'A logon is slow beyond', 'A longer logon counts as slow.', ['s', 1, 3600], 45, {
    stricter: 'less',
    takesEffect: 'in Ikebana',
    holdsFor: 'base',
  }),
  logons.raw(
    'slowSecondsByPool',
    'Slow beyond, by pool',
    'The same for some pools alone.',
    { kind: 'seconds by pool' },
    {},
    { takesEffect: 'in Ikebana', holdsFor: 'base' },
  ),
]
