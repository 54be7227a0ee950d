import { readSid } from './sid'

/** One entry of an access control list. */
export interface Ace {
  readonly type: 'allow' | 'deny' | 'other'
  /** The letters of the type as written: A, D, OA, XA, AU, … */
  readonly letters: string
  readonly flags: ReadonlySet<AceFlag>
  readonly mask: number
  readonly sid: string
  /** The types of object that it is about, where it names any. */
  readonly object: string
  readonly inheritedObject: string
  /** A condition or resource attribute, as written. */
  readonly condition: string | null
}

/** OI, CI: files and folders inside get it; IO: only they; NP: not further than one level; ID: came from above. */
export type AceFlag = 'OI' | 'CI' | 'IO' | 'NP' | 'ID' | 'SA' | 'FA' | 'TP' | 'CR'
const FLAGS: readonly string[] = ['OI', 'CI', 'IO', 'NP', 'ID', 'SA', 'FA', 'TP', 'CR']

export interface Acl {
  /** P: nothing from above; AI, AR: inheritance was worked out by the system. */
  readonly flags: readonly ('P' | 'AR' | 'AI')[]
  readonly aces: readonly Ace[]
}

/** A security descriptor. `dacl` null: there is none, and everything is allowed; an empty one allows nothing. */
export interface Descriptor {
  readonly owner: string | null
  readonly group: string | null
  readonly dacl: Acl | null
  readonly sacl: Acl | null
}

export class SddlFault extends Error {
  /** @param at the position in the text, counted from 0 */
  constructor(
    readonly at: number,
    message: string,
  ) {
    super(`at character ${at + 1}: ${message}`)
  }
}

const RIGHTS: Record<string, number> = {
  GA: 0x10000000,
  GX: 0x20000000,
  GW: 0x40000000,
  GR: 0x80000000,
  SD: 0x10000,
  RC: 0x20000,
  WD: 0x40000,
  WO: 0x80000,
  CC: 0x1,
  DC: 0x2,
  LC: 0x4,
  SW: 0x8,
  RP: 0x10,
  WP: 0x20,
  DT: 0x40,
  LO: 0x80,
  CR: 0x100,
  FA: 0x1f01ff,
  FR: 0x120089,
  FW: 0x120116,
  FX: 0x1200a0,
  KA: 0xf003f,
  KR: 0x20019,
  KW: 0x20006,
  KX: 0x20019,
  NR: 0x1,
  NW: 0x2,
  NX: 0x4,
}
const TYPES: Record<string, Ace['type']> = {
  A: 'allow',
  OA: 'allow',
  XA: 'allow',
  D: 'deny',
  OD: 'deny',
  XD: 'deny',
  ZA: 'allow',
  AU: 'other',
  AL: 'other',
  OU: 'other',
  OL: 'other',
  XU: 'other',
  RA: 'other',
  SP: 'other',
  ML: 'other',
  TL: 'other',
  FL: 'other',
}
/** Longer than any real descriptor (64 KiB in its binary form). */
const LONGEST = 1 << 20

/**
 * Reads a security descriptor in SDDL ([MS-DTYP] 2.5.1).
 * @param domain the SID of the domain for names such as DU, where known
 * @throws SddlFault with the position of what cannot be read
 */
export function parseSddl(text: string, domain: string | null = null): Descriptor {
  if (text.length > LONGEST) throw new SddlFault(0, `longer than ${LONGEST} characters`)
  const result: { owner: string | null; group: string | null; dacl: Acl | null; sacl: Acl | null } = {
    owner: null,
    group: null,
    dacl: null,
    sacl: null,
  }
  const seen = new Set<string>()
  let at = skipSpaces(text, 0)
  if (at === text.length) throw new SddlFault(0, 'the text is empty; expected O:, G:, D: or S:')
  while (at < text.length) {
    const section = text.charAt(at).toUpperCase()
    if (!'OGDS'.includes(section) || text[at + 1] !== ':')
      throw new SddlFault(at, `“${text.slice(at, at + 10)}” begins no section; expected O:, G:, D: or S:`)
    if (seen.has(section)) throw new SddlFault(at, `${section}: comes twice`)
    seen.add(section)
    at += 2
    if (section === 'O' || section === 'G') {
      const end = endOfSid(text, at)
      const read = readSid(text.slice(at, end).trim(), domain)
      if ('fault' in read) throw new SddlFault(at, read.fault)
      result[section === 'O' ? 'owner' : 'group'] = read.sid
      at = end
    } else {
      const { acl, end } = parseAcl(text, at, domain)
      result[section === 'D' ? 'dacl' : 'sacl'] = acl
      at = end
    }
    at = skipSpaces(text, at)
  }
  return result
}

function skipSpaces(text: string, from: number): number {
  let at = from
  while (/\s/.test(text.charAt(at))) at++
  return at
}

/** A SID ends where the next section begins. */
function endOfSid(text: string, from: number): number {
  const next = /\s*[OGDS]:/gi
  next.lastIndex = from
  return next.exec(text)?.index ?? text.length
}

function parseAcl(text: string, from: number, domain: string | null): { acl: Acl | null; end: number } {
  let at = from
  const flags: Acl['flags'][number][] = []
  let none = false
  for (;;) {
    at = skipSpaces(text, at)
    if (text.startsWith('NO_ACCESS_CONTROL', at)) {
      none = true
      at += 17
    } else if (/^A[RI]/i.test(text.slice(at, at + 2))) {
      flags.push(text.slice(at, at + 2).toUpperCase() as 'AR')
      at += 2
    } else if (/^P/i.test(text.charAt(at))) {
      flags.push('P')
      at++
    } else break
  }
  const aces: Ace[] = []
  while (text.charAt(at) === '(') {
    const end = endOfAce(text, at)
    aces.push(parseAce(text.slice(at + 1, end), at + 1, domain))
    at = skipSpaces(text, end + 1)
  }
  return { acl: none ? null : { flags, aces }, end: at }
}

/** The closing bracket of an entry; brackets inside a condition, and those inside its quoted texts, do not count. */
function endOfAce(text: string, from: number): number {
  let depth = 0
  let quoted = false
  for (let at = from; at < text.length; at++) {
    const c = text.charAt(at)
    if (c === '"') quoted = !quoted
    else if (!quoted && c === '(') depth++
    else if (!quoted && c === ')' && --depth === 0) return at
  }
  throw new SddlFault(from, 'the entry has no closing bracket')
}

function parseAce(text: string, at: number, domain: string | null): Ace {
  const fields = splitFields(text)
  const [letters = '', flagText = '', rights = '', object = '', inheritedObject = '', sidText = '', ...rest] = fields.map((field) => field.trim())
  if (fields.length < 6) throw new SddlFault(at, `an entry has 6 fields between semicolons; this one has ${fields.length}`)
  const type = TYPES[letters.toUpperCase()]
  if (!type) throw new SddlFault(at, `“${letters.slice(0, 20)}” is no type of entry; expected A, D, OA, OD, XA, XD, AU, …`)
  const flags = new Set<AceFlag>()
  for (let i = 0; i < flagText.length; i += 2) {
    const flag = flagText.slice(i, i + 2).toUpperCase()
    if (!FLAGS.includes(flag)) throw new SddlFault(at, `“${flag}” is no flag of an entry; expected ${FLAGS.join(', ')}`)
    flags.add(flag as AceFlag)
  }
  const sid = readSid(sidText, domain)
  if ('fault' in sid) throw new SddlFault(at, sid.fault)
  return {
    type,
    letters: letters.toUpperCase(),
    flags,
    mask: readRights(rights, at, letters.toUpperCase()),
    sid: sid.sid,
    object,
    inheritedObject,
    condition: rest.length > 0 && rest.join(';') !== '' ? rest.join(';') : null,
  }
}

/** Semicolons inside quotes and brackets belong to a condition. */
function splitFields(text: string): string[] {
  const fields: string[] = []
  let from = 0
  for (let at = 0; at < text.length && fields.length < 6; at++) {
    if (text.charAt(at) === ';') {
      fields.push(text.slice(from, at))
      from = at + 1
    }
  }
  fields.push(text.slice(from))
  return fields
}

function readRights(text: string, at: number, letters: string): number {
  if (/^0x[0-9a-f]{1,8}$/i.test(text)) return Number.parseInt(text, 16) >>> 0
  if (/^0[0-7]+$/.test(text)) return Number.parseInt(text, 8) >>> 0
  if (/^\d{1,10}$/.test(text)) {
    const number = Number(text)
    if (number > 0xffffffff) throw new SddlFault(at, `rights ${text} do not fit into 32 bits`)
    return number
  }
  let mask = 0
  for (let i = 0; i < text.length; i += 2) {
    const name = text.slice(i, i + 2).toUpperCase()
    const bits = RIGHTS[name]
    if (bits === undefined)
      throw new SddlFault(
        at,
        `“${text.slice(i, i + 2)}” is no right; expected hexadecimal digits after 0x, or two-letter names such as FA, FR, GA${letters === 'ML' ? ', NW' : ''}`,
      )
    mask |= bits
  }
  return mask >>> 0
}

/** Writes a descriptor; SIDs and masks in full, so that it means the same everywhere. */
export function writeSddl({ owner, group, dacl, sacl }: Descriptor): string {
  const acl = (letter: string, list: Acl | null) => (list === null ? '' : `${letter}:${list.flags.join('')}${list.aces.map(writeAce).join('')}`)
  return `${owner === null ? '' : `O:${owner}`}${group === null ? '' : `G:${group}`}${acl('D', dacl)}${acl('S', sacl)}`
}

function writeAce({ letters, flags, mask, object, inheritedObject, sid, condition }: Ace): string {
  return `(${letters};${FLAGS.filter((flag) => flags.has(flag as AceFlag)).join('')};0x${mask.toString(16)};${object};${inheritedObject};${sid}${condition === null ? '' : `;${condition}`})`
}

/** An ordinary entry. */
export const ace = (type: 'allow' | 'deny', sid: string, mask: number, flags: readonly AceFlag[] = []): Ace => ({
  type,
  letters: type === 'allow' ? 'A' : 'D',
  flags: new Set(flags),
  mask,
  sid,
  object: '',
  inheritedObject: '',
  condition: null,
})
