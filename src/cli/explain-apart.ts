import { once } from 'node:events'
import { createReadStream } from 'node:fs'
import { setFlagsFromString } from 'node:v8'
import { Worker } from 'node:worker_threads'
import type { OrgFile } from '../contract/org'
import type { Asked } from './analyse-text'
import type { Follower } from './sorted'

/** What the worker is given. */
export interface Apart {
  readonly path: string
  readonly into: string
  /** One number: so many frames are in the file. */
  readonly frames: Int32Array
  readonly asked: Asked
  readonly org: OrgFile | undefined
}

/**
 * Attempts explained in a thread of their own while more are read in this one. What is said of them waits in a file: until all is read, something may still come that
 * belongs before them.
 */
export class ExplainedApart implements Follower {
  readonly #frames = new Int32Array(new SharedArrayBuffer(4))
  #worker: Worker | null = null
  #clocks: Promise<readonly string[]> | null = null
  #into = ''

  constructor(
    private readonly asked: Asked,
    private readonly org: OrgFile | undefined,
  ) {}

  begin(path: string): void {
    // Two busy threads: the helpers of one's garbage collection would only take the other's core. By bench/analyse.ts, that was a sixth of the time.
    setFlagsFromString('--no-parallel-scavenge')
    // The first attempts live long, as all of them must be seen before anything is usual. Without this, whatever is made where they were made would be taken to live long, too.
    setFlagsFromString('--no-allocation-site-pretenuring')
    this.#into = `${path}-told`
    const workerData: Apart = { path, into: this.#into, frames: this.#frames, asked: this.asked, org: this.org }
    this.#worker = new Worker(new URL('./explain-worker.js', import.meta.url), { workerData })
    this.#clocks = once(this.#worker, 'message').then(([clocks]) => clocks as readonly string[])
    // Where it fails while we are still reading, that is told at the end.
    this.#clocks.catch(() => undefined)
  }

  grown(): void {
    Atomics.add(this.#frames, 0, 1)
    Atomics.notify(this.#frames, 0)
  }

  stop(): void {
    void this.#worker?.terminate()
    this.#clocks = null
  }

  /** Once all were read: what is said of them, when the last is explained, and of which clocks. */
  async told(): Promise<{ readonly pieces: AsyncIterable<Uint8Array>; readonly clocks: readonly string[] }> {
    if (!this.#clocks) throw new Error('nothing is explained apart')
    const clocks = await this.#clocks
    return { pieces: createReadStream(this.#into, { highWaterMark: 1 << 20 }), clocks }
  }
}
