/** Random access to a file's bytes, at once or later. `read` gives fewer bytes only where the file ends. */
export interface ByteSource {
  readonly sizeBytes: number
  read(offset: number, length: number): Uint8Array | Promise<Uint8Array>
}

export interface StructureFinding {
  readonly code: string
  readonly offset: number
  readonly sentence: string
}

/** What a disk file is, read from its structure. `allocatedBytes` counts the payload blocks present. */
export interface Inspection {
  readonly format: 'vhdx' | 'vhd' | 'unknown'
  readonly kind: 'fixed' | 'dynamic' | 'differencing'
  readonly virtualBytes: number
  readonly fileBytes: number
  readonly allocatedBytes: number
  readonly blockBytes: number
  readonly parent: string | null
  /** `dirty`: a log waits to be replayed. `damaged`: data can be wrong or lost. */
  readonly state: 'clean' | 'dirty' | 'damaged' | 'unknown'
  readonly findings: readonly StructureFinding[]
}

export type Find = (code: string, offset: number, sentence: string) => void

/** A structure of the file, with what it says. */
export interface Structure {
  readonly name: string
  readonly offset: number
  readonly bytes: number
  readonly checksum: 'fits' | 'does not fit' | 'none'
  readonly values: readonly { readonly name: string; readonly offset: number; readonly value: string; readonly meaning: string }[]
}

/** A disk file with everything that its structure says, for whoever looks inside. */
export interface Anatomy {
  readonly inspection: Inspection
  readonly structures: readonly Structure[]
  /** Where each payload block lies in the file, -1 where it is not present; one entry a block. */
  readonly blockOffsets: Float64Array
  /** Stretches of the file by what lies there, by offset; `waste` is what nothing refers to. */
  readonly layout: readonly { readonly what: string; readonly offset: number; readonly bytes: number }[]
}
