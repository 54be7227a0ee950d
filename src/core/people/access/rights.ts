/** What the bits of an access mask allow on a file or folder ([MS-DTYP] 2.4.3; the file's own bits: [MS-FSCC], from memory). */
export const RIGHT = {
  list: 0x1,
  createFiles: 0x2,
  createFolders: 0x4,
  readExtended: 0x8,
  writeExtended: 0x10,
  traverse: 0x20,
  deleteChild: 0x40,
  readAttributes: 0x80,
  writeAttributes: 0x100,
  delete: 0x10000,
  readPermissions: 0x20000,
  changePermissions: 0x40000,
  takeOwnership: 0x80000,
  synchronise: 0x100000,
} as const
export const FULL = 0x1f01ff
const READ = 0x120089
const WRITE = 0x120116
const EXECUTE = 0x1200a0
const READ_AND_EXECUTE = READ | EXECUTE
export const MODIFY = 0x1301bf
const GENERIC_ALL = 0x10000000,
  GENERIC_EXECUTE = 0x20000000,
  GENERIC_WRITE = 0x40000000,
  GENERIC_READ = 0x80000000

/** Generic bits become what they mean for files. */
export function mapped(mask: number): number {
  let result = mask & 0x0fffffff
  if (mask & GENERIC_ALL) result |= FULL
  if (mask & GENERIC_EXECUTE) result |= EXECUTE
  if (mask & GENERIC_WRITE) result |= WRITE
  if (mask & GENERIC_READ) result |= READ
  return result >>> 0
}

const WHOLE: readonly [string, number][] = [
  ['full', FULL],
  ['modify', MODIFY],
  ['read', READ],
  ['write', WRITE],
  ['execute', EXECUTE],
]
const SINGLE: readonly [string, number][] = [
  ['list', RIGHT.list],
  ['create-files', RIGHT.createFiles],
  ['create-folders', RIGHT.createFolders],
  ['read-extended', RIGHT.readExtended],
  ['write-extended', RIGHT.writeExtended],
  ['traverse', RIGHT.traverse],
  ['delete-children', RIGHT.deleteChild],
  ['read-attributes', RIGHT.readAttributes],
  ['write-attributes', RIGHT.writeAttributes],
  ['delete', RIGHT.delete],
  ['read-permissions', RIGHT.readPermissions],
  ['change-permissions', RIGHT.changePermissions],
  ['take-ownership', RIGHT.takeOwnership],
  ['synchronise', RIGHT.synchronise],
]

/** The names of what a mask allows: first the sets that it holds whole, then every single right. */
export function rightsOf(mask: number): string[] {
  const has = (bits: number) => (mask & bits) === bits
  return [...WHOLE, ...SINGLE].filter(([, bits]) => has(bits)).map(([name]) => name)
}

/** The largest name that says it: `full`, `modify`, `read and execute`, …, or the single rights. */
export function rightsSay(mask: number): string {
  const bits = mapped(mask)
  if ((bits & FULL) === FULL) return 'full control'
  if ((bits & MODIFY) === MODIFY) return 'read, write and delete'
  const words: string[] = []
  let said = 0
  const say = (word: string, mask: number) => {
    if ((bits & mask) !== mask || (said & mask) === mask) return
    words.push(word)
    said |= mask
  }
  say('read', READ_AND_EXECUTE)
  say('read, not open folders', READ)
  say('write', WRITE)
  for (const [name, bit] of SINGLE) if (words.length === 0 || !(said & bit)) say(name.replace('-', ' '), bit)
  return words.join(words.length === 2 ? ' and ' : ', ') || 'nothing'
}

export const hex = (mask: number): string => `0x${(mask >>> 0).toString(16).padStart(8, '0')}`
