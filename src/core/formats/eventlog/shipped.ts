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
/** Policy that is applied anew while people work: none of what it does is of a logon. */
const refresh = (...ids: number[]): EventRule[] => ids.map((id) => ({ provider: POLICY, id, observe: 'nothing', wholeActivity: true }))
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
/** Each session has a winlogon of its own. */
const WINLOGON_PROCESS = '{@process}'
/** What winlogon waits for; of the phases that have parts of their own, it is what they are in. */
const subscriber = (id: number, observe: 'phase-begin' | 'phase-end', name: string, phase: string): EventRule => ({
  provider: WINLOGON,
  id,
  when: { SubscriberName: [name] },
  observe,
  phase,
  part: `subscriber ${name}`,
  together: WINLOGON_PROCESS,
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
  ...nothing(SECURITY, 4634, 4647, 4648, 4672, 4769, 4779),
  { provider: SECURITY, id: 4778, observe: 'return', person: ['{AccountDomain}\\{AccountName}', '{AccountName}'] },
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

  // At the start of the machine, when its network changes, by hand, and every so often; of the machine and of people.
  ...refresh(4000, 4002, 4003, 4004, 4005, 4006, 4007, 8000, 8002, 8003, 8004, 8005, 8006, 8007),
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

  { provider: WINLOGON, id: 1, observe: 'phase-begin', phase: 'sign-on', together: WINLOGON_PROCESS },
  { provider: WINLOGON, id: 2, observe: 'phase-end', phase: 'sign-on', together: WINLOGON_PROCESS },
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
  { provider: SESSIONS, id: 25, observe: 'return', person: ['{User}'] },
  ...nothing(SESSIONS, 23, 24, 40),
]
