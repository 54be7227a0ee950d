/**
 * Security identifiers in their string form ([MS-DTYP] 2.4.2.1) and the two-letter names that SDDL has for some of them (2.5.1.1).
 * The names are from memory; a test compares them with an independent implementation where that is installed.
 */
const FIXED: Record<string, string> = {
  AA: 'S-1-5-32-579',
  AC: 'S-1-15-2-1',
  AN: 'S-1-5-7',
  AO: 'S-1-5-32-548',
  AS: 'S-1-18-1',
  AU: 'S-1-5-11',
  BA: 'S-1-5-32-544',
  BG: 'S-1-5-32-546',
  BO: 'S-1-5-32-551',
  BU: 'S-1-5-32-545',
  CD: 'S-1-5-32-574',
  CG: 'S-1-3-1',
  CO: 'S-1-3-0',
  CY: 'S-1-5-32-569',
  ED: 'S-1-5-9',
  ER: 'S-1-5-32-573',
  ES: 'S-1-5-32-576',
  HA: 'S-1-5-32-578',
  HI: 'S-1-16-12288',
  IS: 'S-1-5-32-568',
  IU: 'S-1-5-4',
  LS: 'S-1-5-19',
  LU: 'S-1-5-32-559',
  LW: 'S-1-16-4096',
  ME: 'S-1-16-8192',
  MP: 'S-1-16-8448',
  MS: 'S-1-5-32-577',
  MU: 'S-1-5-32-558',
  NO: 'S-1-5-32-556',
  NS: 'S-1-5-20',
  NU: 'S-1-5-2',
  OW: 'S-1-3-4',
  PO: 'S-1-5-32-550',
  PS: 'S-1-5-10',
  PU: 'S-1-5-32-547',
  RA: 'S-1-5-32-575',
  RC: 'S-1-5-12',
  RD: 'S-1-5-32-555',
  RE: 'S-1-5-32-552',
  RM: 'S-1-5-32-580',
  RU: 'S-1-5-32-554',
  SI: 'S-1-16-16384',
  SO: 'S-1-5-32-549',
  SS: 'S-1-18-2',
  SU: 'S-1-5-6',
  SY: 'S-1-5-18',
  UD: 'S-1-5-84-0-0-0-0-0',
  WD: 'S-1-1-0',
  WR: 'S-1-5-33',
}
/** The last part of the SID, behind that of the domain. */
const IN_DOMAIN: Record<string, number> = {
  AP: 525,
  CA: 517,
  CN: 522,
  DA: 512,
  DC: 515,
  DD: 516,
  DG: 514,
  DU: 513,
  EA: 519,
  EK: 527,
  KA: 526,
  LA: 500,
  LG: 501,
  PA: 520,
  RO: 498,
  RS: 553,
  SA: 518,
}

const SAYS: Record<string, string> = {
  'S-1-1-0': 'everyone',
  'S-1-3-0': 'whoever creates it',
  'S-1-3-1': 'the group of whoever creates it',
  'S-1-3-4': 'the owner',
  'S-1-5-2': 'everyone over the network',
  'S-1-5-4': 'everyone signed in at the machine',
  'S-1-5-7': 'anonymous',
  'S-1-5-11': 'everyone signed in',
  'S-1-5-18': 'the system',
  'S-1-5-32-544': 'administrators of the machine',
  'S-1-5-32-545': 'users of the machine',
  'S-1-5-32-546': 'guests of the machine',
}

export const SID = {
  everyone: 'S-1-1-0',
  creatorOwner: 'S-1-3-0',
  creatorGroup: 'S-1-3-1',
  ownerRights: 'S-1-3-4',
  signedIn: 'S-1-5-11',
  users: 'S-1-5-32-545',
  administrators: 'S-1-5-32-544',
  system: 'S-1-5-18',
  network: 'S-1-5-2',
  self: 'S-1-5-10',
} as const

/** `S-1-…` in canonical form (upper case, decimal), or null where the text is no SID. At most 15 parts; parts below 2^32. */
export function canonicalSid(text: string): string | null {
  const found = /^S-1-(0x[0-9a-f]{1,12}|\d{1,15})((?:-(?:0x[0-9a-f]{1,8}|\d{1,10})){0,15})$/i.exec(text)
  if (!found) return null
  const parts = (found[2] ?? '').split('-').slice(1).map(Number)
  const authority = Number(found[1])
  if (parts.some((part) => part > 0xffffffff) || authority >= 2 ** 48) return null
  return ['S-1', authority >= 2 ** 32 ? `0x${authority.toString(16).toUpperCase().padStart(12, '0')}` : authority, ...parts].join('-')
}

/** A SID or a two-letter name of one. @param domain the SID of the domain, for names that mean somebody in it */
export function readSid(text: string, domain: string | null): { sid: string } | { fault: string } {
  const name = text.toUpperCase()
  if (FIXED[name] !== undefined) return { sid: FIXED[name] }
  const last = IN_DOMAIN[name]
  if (last !== undefined) return domain === null ? { fault: `${name} means somebody in a domain, and none is given` } : { sid: `${domain}-${last}` }
  const sid = canonicalSid(text)
  return sid === null ? { fault: `“${text.slice(0, 60)}” is neither a SID (S-1-…) nor a two-letter name of one` } : { sid }
}

/** A few words for a SID that every machine knows, else null. */
export const sidSays = (sid: string): string | null => SAYS[sid] ?? null
