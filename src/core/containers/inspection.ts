/** Random access to a file's bytes. `read` gives fewer bytes only where the file ends. */
export interface ByteSource {
  readonly sizeBytes: number
  read(offset: number, length: number): Promise<Uint8Array>
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
