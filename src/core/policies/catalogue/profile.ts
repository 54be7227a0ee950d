import { area, type Setting } from './setting'

const container = area('profile container')
const roaming = area('file roaming')
const personal = area('personal area')
const WITH_CONTAINERS = { needs: { setting: 'containers', is: ['on'] } } as const

/** Where the profile is, and what becomes of it. */
export const PROFILE: readonly Setting[] = [
  container.turn('containers', 'Containers', 'On: a person’s profile is a disk file that is attached at logon.', 'on', {
    takesEffect: 'host restart',
    holdsFor: 'host',
  }),
  container.list('locations', 'Locations', 'Where containers lie, in order.', 'location', 20, WITH_CONTAINERS),
  container.pick(
    'locationsMode',
    'How locations are used',
    'One after the other, or all at once through a journal on the host.',
    { 'in-order': 'the first that can be had', mirrored: 'all at once' },
    'in-order',
    WITH_CONTAINERS,
  ),
  container.measure(
    'locationsRequired',
    'Mirrored locations that must be writable',
    'With fewer than these the container counts as not to be had.',
    ['locations', 1, 20],
    1,
    { stricter: 'more', needs: { setting: 'locationsMode', is: ['mirrored'] } },
  ),
  container.measure('sizeLimitMib', 'Size limit of a container', 'How much a container holds at most.', ['MiB', 64, 4 * 1024 * 1024], 30 * 1024, {
    stricter: 'less',
    ...WITH_CONTAINERS,
  }),
  container.pick(
    'diskFormat',
    'Disk format',
    'How the disk file is laid out when it is made.',
    { 'vhdx-dynamic': 'VHDX, grows with use', 'vhdx-fixed': 'VHDX, full size at once' },
    'vhdx-dynamic',
    { takesEffect: 'host restart', holdsFor: 'host', ...WITH_CONTAINERS },
  ),
  container.pick(
    'onFailure',
    'When the container cannot be had',
    'What a person gets when no location gives them their container.',
    { refuse: 'refuse the logon', temporary: 'give a temporary profile' },
    'refuse',
    { stricter: ['refuse', 'temporary'], ...WITH_CONTAINERS },
  ),
  container.measure('heldWaitSeconds', 'Wait for a held container', 'How long to go on trying while another session has it.', ['s', 0, 600], 45, {
    needs: { setting: 'containers', is: ['on'] },
  }),
  container.pick(
    'secondSession',
    'A second session of the same person',
    'What happens when somebody logs on while their container is attached elsewhere.',
    { refused: 'is refused', 'read-only': 'gets a copy that forgets its changes' },
    'refused',
    { stricter: ['refused', 'read-only'], needs: { setting: 'containers', is: ['on'] } },
  ),
  container.turn('compactAtLogoff', 'Compact at logoff', 'On: room that was freed inside is given back to the share at logoff.', 'off', {
    needs: { setting: 'containers', is: ['on'] },
  }),
  container.measure(
    'nearlyFullPercent',
    'Tell the person when nearly full',
    'From this share of the limit on, the person is told at logon.',
    ['%', 50, 100],
    90,
    { stricter: 'less', needs: { setting: 'containers', is: ['on'] } },
  ),

  roaming.list('roamingGroups', 'File roaming is for', 'The groups whose files roam; none: everybody on pools that work with files.', 'group', 200, {
    combine: 'union',
  }),
  roaming.pick(
    'roamingLocalAdmins',
    'Local administrators',
    'Whether the files of people who are administrators of the host roam too.',
    { served: 'are served too', 'left out': 'are left out' },
    'left out',
    { stricter: ['left out', 'served'] },
  ),
  roaming.pick(
    'roamingWriteBack',
    'Files are written back',
    'When changes reach the share.',
    { 'at-logoff': 'at logoff', 'during-session': 'during the session' },
    'at-logoff',
  ),
  roaming.pick(
    'roamingFetch',
    'Files are fetched',
    'When files come to the host.',
    { 'at-logon': 'all at logon', 'on-demand': 'when they are opened' },
    'on-demand',
  ),
  roaming.pick(
    'roamingExisting',
    'An existing profile on the host',
    'What happens to a local profile from before.',
    { 'take in': 'is taken in', ignore: 'is left alone', remove: 'is removed' },
    'take in',
  ),
  roaming.words('roamingStart', 'Newcomers begin with', 'A share with the profile that newcomers get; blank: the host’s own.', '', {
    of: 'location',
  }),
  roaming.pick(
    'roamingAfterLogoff',
    'The local copy, after logoff',
    'What is left on the host.',
    { delete: 'is deleted', leave: 'stays' },
    'delete',
    { stricter: ['delete', 'leave'] },
  ),
  roaming.list('pathRules', 'Path rules', 'What is kept, left out or mirrored of a profile; the first that matches counts.', 'path rule', 500, {
    combine: 'append',
  }),

  personal.turn('personalInstall', 'People install for themselves', 'On: what a person installs is kept on their personal area.', 'off', {
    stricter: 'off',
  }),
  personal.measure('personalGib', 'Size of the personal area', 'The disk that is a person’s own on a kept desktop.', ['GiB', 1, 2048], 10, {
    stricter: 'less',
    takesEffect: 'host restart',
  }),
  personal.measure(
    'personalAppsPercent',
    'Part for applications',
    'How much of the personal area is for applications; the rest is for the profile.',
    ['%', 10, 90],
    50,
    { takesEffect: 'host restart' },
  ),
  personal.pick(
    'imageConflict',
    'A file changed by both, at a new image version',
    'Whose change counts when the person and the administrator altered the same file.',
    { administrator: 'the administrator’s counts', person: 'the person’s counts' },
    'administrator',
    { stricter: ['administrator', 'person'] },
  ),
]
