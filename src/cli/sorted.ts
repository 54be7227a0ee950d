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
  /** Those in memory; behind them, room that was used before. It is never given back: see Passing. */
  readonly #kept: (Given | undefined)[] = []
  #n = 0
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
    this.#kept[this.#n++] = given
    if (this.#last && byStart(given, this.#last) < 0) this.#outOfOrder()
  }

  /** Whether it is time to settle. */
  get isFull(): boolean {
    return this.#n >= this.#room
  }

  /** Makes room. @param beforeMs none is expected any more that began before; where nothing is known of that, -Infinity */
  settle(beforeMs: number): void {
    this.#sort()
    if (beforeMs === -Infinity) this.#outOfOrder()
    let settled = 0
    if (this.#isInOrder) while (settled < this.#n && (this.#kept[settled]?.attempt.startedAtMs ?? Infinity) < beforeMs) settled++
    this.#append(settled)
    if (this.#n >= this.most) {
      this.#outOfOrder()
      const run = new GivenWriter(join(this.folder, `run-${this.#runs.length}`))
      for (const one of this.#inMemory()) run.add(one)
      run.end()
      this.#runs.push(run)
      this.#drop(this.#n)
    }
    this.#room = this.#isInOrder ? Math.min(this.most, this.#n + Math.ceil(this.most / 24)) : this.most
  }

  /** All have come. @param right whether they are as they were given. Says whether whoever follows has them all. */
  end(right: boolean): boolean {
    if (!right) this.#outOfOrder()
    if (!this.#ordered || !this.#isInOrder) return false
    this.#sort()
    this.#append(this.#n)
    this.#ordered.end()
    return this.follower !== undefined
  }

  /** All so far, in no order. */
  *all(): Generator<Given> {
    yield* this.#inMemory()
    for (const file of this.#files()) yield* file
  }

  *inOrder(): Generator<Given> {
    this.#sort()
    const sources: Iterator<Given>[] = [this.#inMemory(), ...this.#files()]
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

  /** The first ones, which are in order. */
  #append(settled: number): void {
    if (settled === 0) return
    if (!this.#ordered) {
      const path = join(this.folder, 'in-order')
      this.#ordered = new GivenWriter(path, () => this.follower?.grown())
      this.follower?.begin(path)
    }
    this.#last = this.#kept[settled - 1] ?? null
    for (let i = 0; i < settled; i++) {
      const one = this.#kept[i]
      if (one) this.#ordered.add(one)
    }
    this.#drop(settled)
  }

  /** The first ones. */
  #drop(dropped: number): void {
    this.#kept.copyWithin(0, dropped, this.#n)
    this.#kept.fill(undefined, this.#n - dropped, this.#n)
    this.#n -= dropped
  }

  *#inMemory(): Generator<Given> {
    for (let i = 0; i < this.#n; i++) {
      const one = this.#kept[i]
      if (one) yield one
    }
  }

  #outOfOrder(): void {
    if (!this.#isInOrder) return
    this.#isInOrder = false
    this.#last = null
    this.#ordered?.end()
    if (this.#ordered) this.follower?.stop()
  }

  #sort(): void {
    // What is behind the last stays there: nothing is sorted before it.
    this.#kept.sort(byStart as (a: Given | undefined, b: Given | undefined) => number)
  }
}

const byStart = (a: Given, b: Given) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1)
