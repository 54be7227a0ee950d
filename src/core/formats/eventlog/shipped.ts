import type { EventRule } from './rule'

/**
 * What the operating system's own events mean for a logon. Providers, ids and names of fields are those of its documented events, from memory;
 * two fields are spelt with the system's own misspelling, and the right one is taken too.
 */
const SECURITY = 'Microsoft-Windows-Security-Auditing'
const PROFILES = 'Microsoft-Windows-User Profiles Service'
const POLICY = 'Microsoft-Windows-GroupPolicy'
const WINLOGON = 'Microsoft-Windows-Winlogon'
const SESSIONS = 'Microsoft-Windows-TerminalServices-LocalSessionManager'

const target = ['{TargetDomainName}\\{TargetUserName}', '{TargetUserName}']
const nothing = (provider: string, ...ids: number[]): EventRule[] => ids.map((id) => ({ provider, id, observe: 'nothing' }))
const cseMs = { fields: ['CSEElaspedTimeInMilliSeconds', 'CSEElapsedTimeInMilliSeconds'], unit: 'ms' } as const
const policyPart = (id: number, text?: string): EventRule => ({
  provider: POLICY,
  id,
  observe: 'phase-end',
  phase: 'policy',
  part: '{CSEExtensionName}',
  sid: '{@user}',
  elapsed: cseMs,
  ...(text ? { text } : {}),
})
const subscriber = (id: number, observe: 'phase-begin' | 'phase-end', name: string, phase: string): EventRule => ({
  provider: WINLOGON,
  id,
  when: { SubscriberName: [name] },
  observe,
  phase,
  part: `subscriber ${name}`,
})

export const SHIPPED_RULES: readonly EventRule[] = [
  // A session's own logon, not the access over the network that goes before it, nor unlocking.
  {
    provider: SECURITY,
    id: 4624,
    when: { LogonType: ['2', '10', '11', '12'] },
    observe: 'mark',
    phase: 'sign-on',
    text: 'signed on',
    person: target,
    sid: '{TargetUserSid}',
    attrs: { clientAddress: '{IpAddress}' },
  },
  ...nothing(SECURITY, 4634, 4647, 4778, 4779),
  {
    provider: SECURITY,
    id: 4625,
    when: { LogonType: ['2', '3', '10', '11', '12'] },
    observe: 'end',
    phase: 'sign-on',
    person: target,
    code: ['{SubStatus}', '{Status}'],
    outcome: 'failed',
    attrs: { clientAddress: '{IpAddress}', clientName: '{WorkstationName}' },
  },
  {
    provider: SECURITY,
    id: 4688,
    when: { NewProcessName: ['*\\userinit.exe'] },
    observe: 'phase-begin',
    phase: 'shell',
    person: [...target, '{SubjectDomainName}\\{SubjectUserName}'],
  },
  {
    provider: SECURITY,
    id: 4688,
    when: { NewProcessName: ['*\\explorer.exe'] },
    observe: 'phase-end',
    phase: 'shell',
    person: [...target, '{SubjectDomainName}\\{SubjectUserName}'],
  },
  {
    provider: SECURITY,
    id: 4768,
    observe: 'mark',
    phase: 'sign-on',
    text: 'ticket',
    person: target,
    sid: '{TargetSid}',
    code: ['{Status}'],
    codes: 'kerberos',
    elsewhere: true,
  },
  {
    provider: SECURITY,
    id: 4771,
    observe: 'mark',
    phase: 'sign-on',
    person: target,
    sid: '{TargetSid}',
    code: ['{Status}'],
    codes: 'kerberos',
    elsewhere: true,
  },

  { provider: PROFILES, id: 1, observe: 'phase-begin', phase: 'profile', sid: '{@user}', session: '{Session}' },
  { provider: PROFILES, id: 2, observe: 'phase-end', phase: 'profile', sid: '{@user}', session: '{Session}' },
  ...nothing(PROFILES, 3, 4, 5, 1530),
  {
    provider: PROFILES,
    id: 67,
    observe: 'mark',
    phase: 'profile',
    text: 'profile type {ProfileType}',
    sid: '{@user}',
    attrs: { profileType: '{ProfileType}' },
    values: { temporary: 'temporary', temp: 'temporary', roaming: 'files' },
  },
  { provider: PROFILES, id: 1504, observe: 'mark', phase: 'profile', text: 'the roaming profile was not updated whole', sid: '{@user}' },
  { provider: PROFILES, id: 1509, observe: 'mark', phase: 'profile', text: 'a file of the profile could not be copied', sid: '{@user}' },
  {
    provider: PROFILES,
    id: 1511,
    observe: 'mark',
    phase: 'profile',
    code: ['profile.temporary'],
    sid: '{@user}',
    text: 'no local profile was found',
  },
  { provider: PROFILES, id: 1515, observe: 'mark', phase: 'profile', code: ['profile.temporary'], sid: '{@user}', text: 'the profile was set aside' },
  {
    provider: PROFILES,
    id: 1521,
    observe: 'mark',
    phase: 'profile',
    code: ['share.unreachable'],
    sid: '{@user}',
    text: 'the server copy of the profile was not found',
  },

  { provider: POLICY, id: 4001, observe: 'phase-begin', phase: 'policy', person: ['{PrincipalSamName}'], sid: '{@user}' },
  {
    provider: POLICY,
    id: 8001,
    observe: 'phase-end',
    phase: 'policy',
    person: ['{PrincipalSamName}'],
    sid: '{@user}',
    elapsed: { fields: ['PolicyElaspedTimeInSeconds', 'PolicyElapsedTimeInSeconds'], unit: 's' },
  },
  { provider: POLICY, id: 4016, observe: 'phase-begin', phase: 'policy', part: '{CSEExtensionName}', sid: '{@user}' },
  policyPart(5016),
  policyPart(6016, 'ended with a warning'),
  policyPart(7016, 'ended with an error'),
  { provider: POLICY, id: 4018, observe: 'phase-begin', phase: 'scripts', person: ['{PrincipalSamName}'], sid: '{@user}' },
  {
    provider: POLICY,
    id: 5018,
    observe: 'phase-end',
    phase: 'scripts',
    person: ['{PrincipalSamName}'],
    sid: '{@user}',
    elapsed: { fields: ['ScriptElaspedTimeInSeconds', 'ScriptElapsedTimeInSeconds'], unit: 's' },
  },

  { provider: WINLOGON, id: 1, observe: 'phase-begin', phase: 'sign-on' },
  { provider: WINLOGON, id: 2, observe: 'phase-end', phase: 'sign-on' },
  ...(['Profiles', 'GPClient', 'SessionEnv', 'TermSrv', 'Sens'] as const).flatMap((name) => {
    const phase = name === 'Profiles' ? 'profile' : name === 'GPClient' ? 'policy' : 'shell'
    return [subscriber(811, 'phase-begin', name, phase), subscriber(812, 'phase-end', name, phase)]
  }),

  { provider: SESSIONS, id: 41, observe: 'phase-begin', phase: 'connect', person: ['{User}'], session: '{SessionID}' },
  { provider: SESSIONS, id: 42, observe: 'phase-end', phase: 'connect', person: ['{User}'], session: '{SessionID}' },
  {
    provider: SESSIONS,
    id: 21,
    observe: 'phase-begin',
    phase: 'shell',
    person: ['{User}'],
    session: '{SessionID}',
    attrs: { clientAddress: '{Address}' },
  },
  {
    provider: SESSIONS,
    id: 22,
    observe: 'phase-end',
    phase: 'shell',
    person: ['{User}'],
    session: '{SessionID}',
    attrs: { clientAddress: '{Address}' },
  },
  ...nothing(SESSIONS, 23, 24, 25, 40),
]
