/** A member of a host's own administrators, as the host reports it. */
export interface ReportedAdmin {
  readonly account: string
  readonly kind: 'person' | 'group'
  /** How many people a group has, through other groups too. */
  readonly people?: number
  readonly sinceMs: number
}
export interface AdminHost {
  readonly host: string
  readonly pool: string
  /** Whom the desktop is assigned to; null: nobody. */
  readonly assigned: string | null
  readonly fixed: boolean
  readonly reported: readonly ReportedAdmin[]
}
export interface AdminWish {
  /** `assigned`: the person it is assigned to is to have it. */
  readonly value: 'nobody' | 'assigned'
  /** For how long; Infinity: until it is taken away. */
  readonly hours: number
}
export interface AdminVerdict {
  readonly host: string
  readonly state: 'as it should be' | 'nothing to do' | 'to be given' | 'to be taken away'
  readonly sentence: string
  /** Who has it now, and until when; null: without an end. */
  readonly now: readonly { readonly account: string; readonly untilMs: number | null }[]
  /** Groups through which many have it. */
  readonly wide: readonly string[]
}

/** What is to be done on one host so that only the person it is assigned to is its administrator, and only for so long. */
export function adminVerdict({ host, assigned, fixed, reported }: AdminHost, wish: AdminWish, nowMs: number): AdminVerdict {
  const untilMs = (sinceMs: number) => (Number.isFinite(wish.hours) ? sinceMs + wish.hours * 3_600_000 : null)
  const now = reported.map(({ account, sinceMs }) => ({ account, untilMs: untilMs(sinceMs) }))
  const wide = reported.flatMap(({ account, kind, people }) =>
    kind === 'group'
      ? [
          `Through the group ${account} ${people === undefined ? 'all its members are' : people === 1 ? 'one person is' : `${people} people are`} administrator here.`,
        ]
      : [],
  )
  const verdict = (state: AdminVerdict['state'], sentence: string): AdminVerdict => ({ host, state, sentence, now, wide })
  const groups = reported.filter(({ kind }) => kind === 'group').map(({ account }) => account)
  if (groups.length)
    return verdict('to be taken away', `A group has the right: ${groups.join(', ')}. Only the person the desktop is assigned to should.`)
  const others = reported.filter(({ account }) => wish.value === 'nobody' || account !== assigned).map(({ account }) => account)
  if (others.length) return verdict('to be taken away', `${others.join(', ')} should not have it.`)
  const own = reported.find(({ account }) => account === assigned)
  const end = own ? untilMs(own.sinceMs) : null
  if (own && end !== null && end <= nowMs) return verdict('to be taken away', `${own.account} had it for ${wish.hours} h; that time is over.`)
  if (wish.value === 'nobody') return verdict('as it should be', 'Nobody has it.')
  if (!fixed) return verdict('nothing to do', 'Desktops of this pool are not assigned to anybody.')
  if (assigned === null) return verdict('nothing to do', 'The desktop is assigned to nobody yet.')
  return own
    ? verdict('as it should be', `${assigned} has it on their own desktop.`)
    : verdict('to be given', `${assigned} is to have it on their own desktop.`)
}
