/** A network address as a number with its family; IPv4 in IPv6 (::ffff:a.b.c.d, RFC 4291 2.5.5.2) counts as IPv4. */
export interface Address {
  readonly family: 4 | 6
  readonly number: bigint
}
/** A range of addresses, both ends within. */
export interface Range {
  readonly family: 4 | 6
  readonly first: bigint
  readonly last: bigint
}

/** Reads an address of version 4 (dotted decimal) or 6 (RFC 4291 2.2). Null where it is none. */
export function readAddress(text: string): Address | null {
  if (text.includes(':')) {
    const number = sixOf(text)
    if (number === null) return null
    return number >> 32n === 0xffffn ? { family: 4, number: number & 0xffff_ffffn } : { family: 6, number }
  }
  const number = fourOf(text)
  return number === null ? null : { family: 4, number }
}

function fourOf(text: string): bigint | null {
  const parts = text.split('.')
  if (parts.length !== 4) return null
  let number = 0n
  for (const part of parts) {
    if (!/^(0|[1-9]\d{0,2})$/.test(part) || Number(part) > 255) return null
    number = (number << 8n) | BigInt(part)
  }
  return number
}

function sixOf(text: string): bigint | null {
  let rest = text
  let tail: string[] = []
  const dotted = /^(.*:)(\d+\.\d+\.\d+\.\d+)$/.exec(text)
  if (dotted) {
    const four = fourOf(dotted[2] ?? '')
    if (four === null) return null
    tail = [(four >> 16n).toString(16), (four & 0xffffn).toString(16)]
    rest = dotted[1] ?? ''
    if (!rest.endsWith('::')) rest = rest.slice(0, -1)
  }
  const halves = rest.split('::')
  if (halves.length > 2) return null
  const words = (half: string | undefined) => (half ? half.split(':') : [])
  const left = words(halves[0])
  const right = [...words(halves[1]), ...tail]
  const missing = 8 - left.length - right.length
  if (halves.length === 2 ? missing < 1 : missing !== 0) return null
  let number = 0n
  for (const word of [...left, ...Array<string>(halves.length === 2 ? missing : 0).fill('0'), ...right]) {
    if (!/^[0-9a-f]{1,4}$/i.test(word)) return null
    number = (number << 16n) | BigInt(`0x${word}`)
  }
  return number
}

/** Reads `10.0.0.0/8`, `fd00::/8` or a single address (RFC 4632, RFC 4291 2.3). Bits behind the prefix do not count. Null where it is none. */
export function readRange(text: string): Range | null {
  const [written = '', prefix, more] = text.trim().split('/')
  const address = readAddress(written)
  if (!address || more !== undefined) return null
  const bits = address.family === 4 ? 32 : 128
  if (prefix !== undefined && !/^\d{1,3}$/.test(prefix)) return null
  // A prefix of a mapped address is counted from its 128 bits.
  const length = prefix === undefined ? bits : Number(prefix) - (address.family === 4 && written.includes(':') ? 96 : 0)
  if (length < 0 || length > bits) return null
  const size = 1n << BigInt(bits - length)
  const first = (address.number / size) * size
  return { family: address.family, first, last: first + size - 1n }
}

export const inRange = (address: Address, range: Range) =>
  address.family === range.family && address.number >= range.first && address.number <= range.last

/** An address as text; version 6 in its plain long form without a run of zeros cut short. */
export function writeAddress({ family, number }: Address): string {
  if (family === 4) return [24n, 16n, 8n, 0n].map((shift) => String((number >> shift) & 255n)).join('.')
  return Array.from({ length: 8 }, (_, i) => ((number >> BigInt(16 * (7 - i))) & 0xffffn).toString(16)).join(':')
}
