import { join } from 'node:path'
import type { Given } from '../core/logons'
import { GivenWriter, readGivens } from './given-file'

/** Whoever takes attempts while more are still read. */
export interface Follower {
  /** There are many, in order so far: they are in this file, frame by frame (see readGivens). */
  begin(path: string): void
  /** A further frame is there. */
  grown(): void
  /** They are not in order after all, or not all of them are right: what was taken so far counts for nothing. */
  stop(): void
}

/**
 * Attempts sorted by start: in memory while they are few, else in files. While they come about in order, as most evidence is written, all are in one file, which
 * somebody may follow while it grows; what comes after one that began later went there is in sorted runs, and they are merged.
 */
export class Sorted {
  #kept: Given[] = []
  #ordered: GivenWriter | null = null
  /** The last of those. */
  #last: Given | null = null
  #isInOrder = true
  readonly #runs: GivenWriter[] = []
  #room: number

  /** @param most so many are in memory at most */
  constructor(
    private readonly folder: string,
    private readonly most: number,
    private readonly follower?: Follower,
  ) {
    this.#room = most / 2
  }

  add(given: Given): void {
    this.#kept.push(given)
    if (this.#last && byStart(given, this.#last) < 0) this.#outOfOrder()
  }

  /** Whether it is time to settle. */
  get isFull(): boolean {
    return this.#kept.length >= this.#room
  }

  /** Makes room. @param beforeMs none is expected any more that began before; where nothing is known of that, -Infinity */
  settle(beforeMs: number): void {
    const kept = this.#sorted()
    if (beforeMs === -Infinity) this.#outOfOrder()
    let settled = 0
    if (this.#isInOrder) while (settled < kept.length && (kept[settled]?.attempt.startedAtMs ?? Infinity) < beforeMs) settled++
    this.#kept = kept.slice(settled)
    this.#append(kept.slice(0, settled))
    if (this.#kept.length >= this.most) {
      this.#outOfOrder()
      const run = new GivenWriter(join(this.folder, `run-${this.#runs.length}`))
      for (const one of this.#kept) run.add(one)
      run.end()
      this.#runs.push(run)
      this.#kept = []
    }
    this.#room = this.#isInOrder ? Math.min(this.most, this.#kept.length + Math.ceil(this.most / 12)) : this.most
  }

  /** All have come. @param right whether they are as they were given. Says whether whoever follows has them all. */
  end(right: boolean): boolean {
    if (!right) this.#outOfOrder()
    if (!this.#ordered || !this.#isInOrder) return false
    this.#append(this.#sorted())
    this.#kept = []
    this.#ordered.end()
    return this.follower !== undefined
  }

  /** All so far, in no order. */
  *all(): Generator<Given> {
    yield* this.#kept
    for (const file of this.#files()) yield* file
  }

  *inOrder(): Generator<Given> {
    const sources: Iterator<Given>[] = [this.#sorted()[Symbol.iterator](), ...this.#files()]
    const heads = sources.map((source) => source.next())
    for (;;) {
      let first = -1
      for (let i = 0; i < heads.length; i++) {
        const head = heads[i]
        const best = heads[first]
        if (head && !head.done && (!best || best.done || byStart(head.value, best.value) < 0)) first = i
      }
      const head = heads[first]
      const source = sources[first]
      if (!head || head.done || !source) return
      yield head.value
      heads[first] = source.next()
    }
  }

  #files(): Generator<Given>[] {
    return [...(this.#ordered ? [this.#ordered] : []), ...this.#runs].map((file) => {
      file.flush()
      return readGivens(file.path)
    })
  }

  #append(settled: readonly Given[]): void {
    if (settled.length === 0) return
    if (!this.#ordered) {
      const path = join(this.folder, 'in-order')
      this.#ordered = new GivenWriter(path, () => this.follower?.grown())
      this.follower?.begin(path)
    }
    for (const one of settled) this.#ordered.add(one)
    this.#last = settled.at(-1) ?? null
  }

  #outOfOrder(): void {
    if (!this.#isInOrder) return
    this.#isInOrder = false
    this.#last = null
    this.#ordered?.end()
    if (this.#ordered) this.follower?.stop()
  }

  #sorted(): Given[] {
    return this.#kept.sort(byStart)
  }
}

const byStart = (a: Given, b: Given) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1)
