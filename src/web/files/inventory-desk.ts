import {
  FolderTree,
  InventoryReader,
  pictureOf,
  sumsOf,
  tryRules,
  type FetchCost,
  type FolderPicture,
  type FolderSums,
  type InventoryFault,
  type RulesResult,
} from '../../core/files'
import type { PathRule } from '../../core/policies'

/** What can be asked of the desk; answered in the worker (inventory-worker.ts), so that the page stays free. */
export type DeskAsk =
  | { readonly ask: 'read'; readonly source: { readonly url: string } | { readonly file: Blob; readonly name: string }; readonly again: boolean }
  | { readonly ask: 'picture'; readonly folder: number; readonly depth: number }
  | { readonly ask: 'try'; readonly rules: readonly PathRule[]; readonly cost: FetchCost; readonly nowMs: number }

export interface ReadSums {
  readonly rows: number
  readonly refused: number
  readonly faults: readonly InventoryFault[]
  readonly people: number
  readonly folders: number
  readonly bytes: number
}

/** One inventory or many, laid over each other; read as a stream, then asked for pictures and rules. */
export class InventoryDesk {
  #tree = new FolderTree()
  #sums: FolderSums | null = null

  /** @param again whether what was read before is put away first @param progress told every so often, in bytes */
  async read(stream: ReadableStream<Uint8Array>, owner: string, again: boolean, progress: (bytes: number) => void): Promise<ReadSums> {
    if (again) this.#tree = new FolderTree()
    this.#sums = null
    const reader = new InventoryReader(owner, (row) => this.#tree.add(row))
    const decoder = new TextDecoder()
    let bytes = 0
    const lines = stream.getReader()
    for (;;) {
      const { done, value } = await lines.read()
      if (done) break
      bytes += value.length
      reader.push(decoder.decode(value, { stream: true }))
      progress(bytes)
    }
    reader.push(decoder.decode())
    reader.end()
    return {
      rows: reader.rows,
      refused: reader.refused,
      faults: reader.faults,
      people: this.#tree.people.length,
      folders: this.#tree.folders.length,
      bytes: this.#all().bytes[0] ?? 0,
    }
  }

  picture(folder: number, depth: number): FolderPicture {
    return pictureOf(this.#tree, this.#all(), folder, depth)
  }

  try(rules: readonly PathRule[], cost: FetchCost, nowMs: number): RulesResult {
    return tryRules(this.#tree, rules, cost, nowMs)
  }

  #all(): FolderSums {
    return (this.#sums ??= sumsOf(this.#tree))
  }
}

/** A file as it lies on a disk, or deflated (`.gz`). */
export function streamOf(file: Blob, name: string): ReadableStream<Uint8Array> {
  const stream = file.stream() as ReadableStream<Uint8Array>
  return name.toLowerCase().endsWith('.gz')
    ? stream.pipeThrough(new DecompressionStream('gzip') as unknown as ReadableWritablePair<Uint8Array, Uint8Array>)
    : stream
}

/** Whose inventory a file is, by its name: `mara.elling.ndjson.gz`. */
export const ownerOf = (name: string): string => name.replace(/(\.(ndjson|jsonl|json|csv|txt|gz))+$/i, '').toLowerCase()
