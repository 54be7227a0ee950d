import type { ByteSource } from './inspection'

export const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)

export function textAt(bytes: Uint8Array, at: number, length: number): string {
  return String.fromCharCode(...bytes.subarray(at, at + length))
}

export function writeText(bytes: Uint8Array, at: number, text: string): void {
  for (let i = 0; i < text.length; i++) bytes[at + i] = text.charCodeAt(i)
}

/** Reads the mixed-endian form of a GUID ([MS-DTYP] 2.3.4.2). */
export function readGuid(view: DataView, at: number): string {
  const hex = (i: number) => HEX[view.getUint8(at + i)] ?? ''
  return `${hex(3)}${hex(2)}${hex(1)}${hex(0)}-${hex(5)}${hex(4)}-${hex(7)}${hex(6)}-${hex(8)}${hex(9)}-${hex(10)}${hex(11)}${hex(12)}${hex(13)}${hex(14)}${hex(15)}`
}
const HEX = Array.from({ length: 256 }, (_, n) => n.toString(16).toUpperCase().padStart(2, '0'))

export function writeGuid(view: DataView, at: number, guid: string): void {
  const hex = guid.replaceAll('-', '')
  view.setUint32(at, Number.parseInt(hex.slice(0, 8), 16), true)
  view.setUint16(at + 4, Number.parseInt(hex.slice(8, 12), 16), true)
  view.setUint16(at + 6, Number.parseInt(hex.slice(12, 16), 16), true)
  for (let i = 0; i < 8; i++) view.setUint8(at + 8 + i, Number.parseInt(hex.slice(16 + 2 * i, 18 + 2 * i), 16))
}

/** Bytes to put at a place in a file; what lies between stays as it is. */
export interface Write {
  readonly offset: number
  readonly bytes: Uint8Array
}
/** A stretch to fill with zeros. */
export interface Zeros {
  readonly offset: number
  readonly zeros: number
}

/** A file as it would be after some writes, without writing them. Later writes lie over earlier ones. */
export function overlaid(file: ByteSource, writes: readonly (Write | Zeros)[]): ByteSource {
  const lengthOf = (one: Write | Zeros) => ('zeros' in one ? one.zeros : one.bytes.length)
  const sizeBytes = writes.reduce((size, one) => Math.max(size, one.offset + lengthOf(one)), file.sizeBytes)
  return {
    sizeBytes,
    async read(offset, length) {
      const end = Math.min(offset + length, sizeBytes)
      const result = new Uint8Array(Math.max(0, end - offset))
      if (offset < file.sizeBytes) result.set(await file.read(offset, Math.min(result.length, file.sizeBytes - offset)))
      for (const one of writes) {
        const from = Math.max(offset, one.offset)
        const to = Math.min(end, one.offset + lengthOf(one))
        if (from >= to) continue
        if ('zeros' in one) result.fill(0, from - offset, to - offset)
        else result.set(one.bytes.subarray(from - one.offset, to - one.offset), from - offset)
      }
      return result
    },
  }
}

/** A stretch that is taken; `step` is the length of one of several alike that follow each other, numbered from `first`. */
interface Taken {
  readonly what: string
  readonly offset: number
  bytes: number
  readonly entry: number
  readonly step: number
  readonly first: number
}

/** Stretches of a file that are taken, and a name for each; says where two lie over each other and what nothing refers to. */
export class Places {
  readonly #taken: Taken[] = []

  /** @param entry where in the file it is said that this stretch is taken */
  take(what: string, offset: number, bytes: number, entry: number): void {
    this.#taken.push({ what, offset, bytes, entry, step: 0, first: 0 })
  }

  /** One of many alike with a number. Those that follow each other, in number and place, are kept as one. */
  takeNumbered(what: string, number: number, offset: number, bytes: number, entry: number): void {
    const last = this.#taken[this.#taken.length - 1]
    if (last?.what === what && last.step === bytes && last.offset + last.bytes === offset && last.first * bytes + last.bytes === number * bytes)
      last.bytes += bytes
    else this.#taken.push({ what, offset, bytes, entry, step: bytes, first: number })
  }

  /** Pairs that lie over each other, by place. */
  overlaps(): { first: string; second: string; alike: boolean; offset: number; entry: number }[] {
    const result: { first: string; second: string; alike: boolean; offset: number; entry: number }[] = []
    let furthest: Taken | null = null
    for (const one of this.#sorted()) {
      if (furthest && one.offset < furthest.offset + furthest.bytes)
        result.push({
          first: nameAt(furthest, one.offset),
          second: nameAt(one, one.offset),
          alike: furthest.what === one.what,
          offset: one.offset,
          entry: one.entry,
        })
      if (!furthest || one.offset + one.bytes > furthest.offset + furthest.bytes) furthest = one
    }
    return result
  }

  /** The whole file by what lies there; neighbours with the same name become one, `nothing` is what lies between. */
  layout(fileBytes: number, nothing: string): { what: string; offset: number; bytes: number }[] {
    const result: { what: string; offset: number; bytes: number }[] = []
    const add = (what: string, offset: number, bytes: number) => {
      const before = result.at(-1)
      if (bytes <= 0) return
      if (before?.what === what && before.offset + before.bytes === offset) before.bytes += bytes
      else result.push({ what, offset, bytes })
    }
    let at = 0
    for (const { what, offset, bytes } of this.#sorted()) {
      const to = Math.min(offset + bytes, fileBytes)
      if (to <= at) continue
      add(nothing, at, offset - at)
      add(what, Math.max(at, offset), to - Math.max(at, offset))
      at = to
    }
    add(nothing, at, fileBytes - at)
    return result
  }

  #sorted() {
    return this.#taken.sort((a, b) => a.offset - b.offset || a.bytes - b.bytes)
  }
}

const nameAt = ({ what, offset, step, first }: Taken, at: number): string =>
  step === 0 ? what : `${what} ${first + Math.floor((at - offset) / step)}`
