/**
 * What is kept of each course: one bit for each of SERIES that was beyond, by what it failed (0: it did not), one bit for each of DIMENSIONS that was not reported, and one
 * for each of SERIES that it could be slow in.
 */
export const BEYOND = 0
export const FAULT = 1
export const UNREPORTED = 2
export const COULD = 3
const WIDE = 4

/**
 * How logons went: what was beyond its usual, by what they failed, what was not reported, and what they could have been slow in. Most go one of a few ways, their courses, each
 * named by where in the table it begins.
 */
export class Courses {
  /** By the fault, and by the rest. */
  readonly #known = new Map<number, Map<number, number>>()
  /** So many numbers are in the table. */
  #used = 0
  table = new Int32Array(64 * WIDE)

  get size(): number {
    return this.#used / WIDE
  }

  of(beyond: number, fault: number, unreported: number, could: number): number {
    let sameFault = this.#known.get(fault)
    if (!sameFault) this.#known.set(fault, (sameFault = new Map<number, number>()))
    // At most sixteen bits each: together they are a whole number still.
    const key = (beyond * 0x10000 + could) * 0x10000 + unreported
    let course = sameFault.get(key)
    if (course === undefined) {
      sameFault.set(key, (course = this.#used))
      this.#used += WIDE
      if (this.#used > this.table.length) this.table = twice(this.table)
      this.table.set([beyond, fault, unreported, could], course)
    }
    return course
  }

  /**
   * Whether whoever went so had a trouble; null where they could not have had it.
   * @param bit, byFault the trouble, as NeighbourRows.trouble tells it
   */
  had(course: number, bit: number, byFault: number): boolean | null {
    const { table } = this
    if (((table[course + COULD] ?? 0) & bit) !== bit) return null
    return bit === 0 ? table[course + FAULT] === byFault : ((table[course + BEYOND] ?? 0) & bit) !== 0
  }

  /** The faults of all. */
  faults(): ReadonlySet<number> {
    return new Set(this.#known.keys())
  }

  /** Forgets all but those that are used; says how each of these is named from now on. */
  keepOnly(used: ReadonlySet<number>): ReadonlyMap<number, number> {
    const before = this.table.slice(0, this.#used)
    this.#known.clear()
    this.#used = 0
    const at = (course: number, what: number) => before[course + what] ?? 0
    return new Map([...used].map((course) => [course, this.of(at(course, BEYOND), at(course, FAULT), at(course, UNREPORTED), at(course, COULD))]))
  }
}

/**
 * Attempts that are alike in all that is asked of them, counted once: in which dimensions they are at the places of one, and how they went. Cleared and filled again and
 * again.
 */
export class Alike {
  n = 0
  masks = new Int32Array(256)
  courses = new Int32Array(256)
  times = new Int32Array(256)
  /** Where they are, by hash: one more than their number, 0 for nothing. Twice as many as there are at least. */
  #slots = new Int32Array(1024)

  clear(): void {
    this.n = 0
    this.#slots.fill(0)
  }

  add(mask: number, course: number): void {
    const last = this.#slots.length - 1
    for (let at = hashOf(mask, course) & last; ; at = (at + 1) & last) {
      const found = (this.#slots[at] ?? 0) - 1
      if (found < 0) return this.#put(at, mask, course)
      if (this.masks[found] === mask && this.courses[found] === course) {
        this.times[found] = (this.times[found] ?? 0) + 1
        return
      }
    }
  }

  #put(at: number, mask: number, course: number): void {
    const number = this.n++
    this.#slots[at] = number + 1
    this.masks[number] = mask
    this.courses[number] = course
    this.times[number] = 1
    if (this.n === this.masks.length) this.#widen()
  }

  #widen(): void {
    ;[this.masks, this.courses, this.times] = [twice(this.masks), twice(this.courses), twice(this.times)]
    this.#slots = new Int32Array(2 * this.#slots.length)
    const last = this.#slots.length - 1
    for (let number = 0; number < this.n; number++) {
      let at = hashOf(this.masks[number] ?? 0, this.courses[number] ?? 0) & last
      while (this.#slots[at] !== 0) at = (at + 1) & last
      this.#slots[at] = number + 1
    }
  }
}

function twice(numbers: Int32Array): Int32Array<ArrayBuffer> {
  const result = new Int32Array(2 * numbers.length)
  result.set(numbers)
  return result
}

function hashOf(mask: number, course: number): number {
  const mixed = Math.imul(mask ^ Math.imul(course, 0x85ebca6b), 0x9e3779b1)
  return mixed ^ (mixed >>> 15)
}
