import { closeSync, openSync, readSync, writeSync } from 'node:fs'
import { Shape } from '../core/formats'
import type { Attempt, Attrs, AttrValue, Given, Mark, Phase, PhasePart } from '../core/logons'

/** A frame is written when it holds so many numbers (about 260 attempts). */
const FRAME = 1 << 15
/** Texts are written once, and then named by number, until there are so many: most of the later ones are never seen again. */
const MOST_TEXTS = 8000
/** The same of sets of names that attributes have. */
const MOST_SHAPES = 500
/** Numbers before each frame: how many numbers and how many bytes of texts follow, and whether the texts so far are forgotten. */
const HEAD = 3

/** A text that is not there. */
const NONE = -1
/** From here downwards are those that are said once. */
const ONCE = -2
/** How the value of an attribute is written. */
const [TEXT, NUMBER, FALSE, TRUE] = [0, 1, 2, 3]

/** What the numbers of a frame name. */
interface Named {
  /** Texts, and the names that attributes of an attempt have: from this frame on. */
  readonly texts: readonly string[]
  readonly shapes: readonly (readonly string[])[]
  /** Texts that are said once, as ids are: in this frame. */
  readonly once: readonly string[]
}

/**
 * A temporary file of attempts, written by one and read by another, also while it grows. It is made of frames: numbers of eight bytes as this machine has them, and what they
 * name for the first time, as JSON. Never kept, so that the form may change.
 */
export class GivenWriter {
  #file: number | null = null
  #numbers = new Float64Array(FRAME + 1024)
  #at = 0
  #texts: string[] = []
  #numberOf = new Map<string, number>()
  /** Of each text the one that followed it last: it mostly does so again. */
  readonly #followers: number[] = []
  #before = 0
  #shapes: (readonly string[])[] = []
  #shapeOf = new Map<string, number>()
  #shape = NONE
  /** By how many names the shape had that was the last with so many: attempts that ended early have fewer, now and then. */
  #shapeOfLength: number[] = []
  #once: string[] = []
  /** So many of them were written before. */
  #written = { texts: 0, shapes: 0 }
  #forget = 0

  /** @param written called after each frame */
  constructor(
    readonly path: string,
    private readonly written: () => void = () => undefined,
  ) {}

  add({ thread, person, mixed, attempt: a }: Given): void {
    const { attrs, oddities, phases, parts, marks } = a
    const names = this.#namesOf(attrs)
    const needed = 18 + 2 * names.length + 2 * oddities.length + 6 * phases.length + 7 * parts.length + 5 * marks.length
    if (this.#at + needed > this.#numbers.length) this.#widen(needed)
    const numbers = this.#numbers
    let at = this.#at
    numbers[at++] = thread
    numbers[at++] = person
    numbers[at++] = mixed ? 1 : 0
    numbers[at++] = this.#textOnce(a.id)
    numbers[at++] = this.#text(a.person)
    numbers[at++] = this.#text(a.account)
    numbers[at++] = this.#text(a.host)
    numbers[at++] = this.#text(a.pool)
    numbers[at++] = this.#textOnce(a.session)
    numbers[at++] = a.startedAtMs
    numbers[at++] = a.totalMs
    numbers[at++] = this.#text(a.outcome)
    numbers[at++] = a.observations
    numbers[at++] = this.#shape
    numbers[at++] = oddities.length
    numbers[at++] = phases.length
    numbers[at++] = parts.length
    numbers[at++] = marks.length
    for (const name of names) {
      const value = attrs[name] ?? false
      numbers[at++] = typeof value === 'string' ? TEXT : typeof value === 'number' ? NUMBER : value ? TRUE : FALSE
      numbers[at++] = typeof value === 'string' ? this.#text(value) : Number(value)
    }
    for (const { code, sentence } of oddities) {
      numbers[at++] = this.#text(code)
      numbers[at++] = this.#text(sentence)
    }
    for (const phase of phases) at = this.#phase(phase, at)
    for (const part of parts) {
      at = this.#phase(part, at)
      numbers[at++] = this.#text(part.part)
    }
    for (const { atMs, code, phase, text, host } of marks) {
      numbers[at++] = atMs
      numbers[at++] = this.#text(code)
      numbers[at++] = this.#text(phase)
      numbers[at++] = this.#text(text)
      numbers[at++] = this.#text(host)
    }
    this.#at = at
    if (at >= FRAME) this.flush()
  }

  #phase({ phase, startMs, endMs, ended, code, host }: Phase, from: number): number {
    const numbers = this.#numbers
    let at = from
    numbers[at++] = this.#text(phase)
    numbers[at++] = startMs
    numbers[at++] = endMs
    numbers[at++] = ended ? 1 : 0
    numbers[at++] = this.#text(code)
    numbers[at++] = this.#text(host)
    return at
  }

  /** Writes what waits, so that it can be read. */
  flush(): void {
    if (this.#at > 0) this.#frame()
  }

  /** Nothing more comes. */
  end(): void {
    this.flush()
    this.#frame()
    if (this.#file !== null) closeSync(this.#file)
    this.#file = null
  }

  /** One without numbers is the last. */
  #frame(): void {
    this.#file ??= openSync(this.path, 'w')
    const named: Named = { texts: this.#texts.slice(this.#written.texts), shapes: this.#shapes.slice(this.#written.shapes), once: this.#once }
    const bytes = Buffer.from(JSON.stringify(named))
    writeSync(this.#file, Float64Array.of(this.#at, bytes.length, this.#forget))
    writeSync(this.#file, this.#numbers, 0, 8 * this.#at)
    writeSync(this.#file, bytes)
    this.#at = 0
    this.#once = []
    this.#forget = Number(this.#texts.length > MOST_TEXTS || this.#shapes.length > MOST_SHAPES)
    if (this.#forget) {
      this.#texts = []
      this.#numberOf = new Map()
      this.#shapes = []
      this.#shapeOf = new Map()
      this.#shape = NONE
      this.#shapeOfLength = []
    }
    this.#written = { texts: this.#texts.length, shapes: this.#shapes.length }
    this.written()
  }

  #widen(needed: number): void {
    const wider = new Float64Array(2 * (this.#at + needed))
    wider.set(this.#numbers)
    this.#numbers = wider
  }

  #text(text: string | null): number {
    if (text === null) return NONE
    const likely = this.#followers[this.#before] ?? 0
    if (this.#texts[likely] === text) return (this.#before = likely)
    let number = this.#numberOf.get(text)
    if (number === undefined) {
      this.#numberOf.set(text, (number = this.#texts.length))
      this.#texts.push(text)
    }
    this.#followers[this.#before] = number
    return (this.#before = number)
  }

  #textOnce(text: string | null): number {
    return text === null ? NONE : ONCE - (this.#once.push(text) - 1)
  }

  /** The names of attributes, which become the shape: mostly those of the attempt before, or of the last with so many. */
  #namesOf(attrs: Attrs): readonly string[] {
    const before = this.#shapes[this.#shape]
    if (before && areNames(before, attrs)) return before
    const names = Object.keys(attrs)
    const likely = this.#shapeOfLength[names.length] ?? NONE
    const asBefore = this.#shapes[likely]
    if (asBefore && areNames(asBefore, attrs)) {
      this.#shape = likely
      return asBefore
    }
    const key = JSON.stringify(names)
    let number = this.#shapeOf.get(key)
    if (number === undefined) {
      this.#shapeOf.set(key, (number = this.#shapes.length))
      this.#shapes.push(names)
    }
    this.#shape = this.#shapeOfLength[names.length] = number
    return names
  }
}

/** Whether attributes have these names, in this order. */
function areNames(names: readonly string[], attrs: Attrs): boolean {
  let i = 0
  for (const name in attrs) if (names[i++] !== name) return false
  return i === names.length
}

/**
 * The attempts of a file as it was written.
 * @param next waits until a frame of this number (from 0) is there; where it says false, nothing more is read. Without it, all that was written is read.
 */
export function* readGivens(path: string, next: (frame: number) => boolean = () => true): Generator<Given> {
  if (!next(0)) return
  const file = openSync(path, 'r')
  try {
    let texts: readonly string[] = []
    let shapes: readonly Shape<AttrValue>[] = []
    const fill = <T extends NodeJS.ArrayBufferView>(view: T): boolean => {
      let done = 0
      while (done < view.byteLength) {
        const read = readSync(file, view, done, view.byteLength - done, null)
        if (read === 0) return false
        done += read
      }
      return true
    }
    const head = new Float64Array(HEAD)
    let numbers = new Float64Array(FRAME + 1024)
    for (let frame = 0; frame === 0 || next(frame); frame++) {
      if (!fill(head)) return
      const [length = 0, bytes = 0, forget = 0] = head
      if (length === 0) return
      if (length > numbers.length) numbers = new Float64Array(length)
      fill(numbers.subarray(0, length))
      const fresh = Buffer.allocUnsafe(bytes)
      fill(fresh)
      const named = JSON.parse(fresh.toString()) as Named
      texts = forget ? named.texts : texts.concat(named.texts)
      shapes = (forget ? [] : shapes).concat(named.shapes.map((names) => new Shape<AttrValue>(names, false)))
      yield* givensIn(numbers, length, { texts, shapes, once: named.once })
    }
  } finally {
    closeSync(file)
  }
}

/** Field by field, and in plain loops: this is done for millions of phases. */
function* givensIn(
  numbers: Float64Array,
  length: number,
  { texts, shapes, once }: { texts: readonly string[]; shapes: readonly Shape<AttrValue>[]; once: readonly string[] },
): Generator<Given> {
  let at = 0
  const maybe = (): string | null => {
    const number = numbers[at++] ?? NONE
    // Asked for in an array, what is before its begin would be looked for by name.
    return number < 0 ? null : (texts[number] ?? null)
  }
  const text = (): string => texts[numbers[at++] ?? NONE] ?? ''
  const said = (): string | null => {
    const number = ONCE - (numbers[at++] ?? NONE)
    return number < 0 ? null : (once[number] ?? null)
  }
  while (at < length) {
    const thread = numbers[at++] ?? 0
    const person = numbers[at++] ?? 0
    const mixed = numbers[at++] === 1
    const id = said() ?? ''
    const who = maybe()
    const account = maybe()
    const host = maybe()
    const pool = maybe()
    const session = said()
    const startedAtMs = numbers[at++] ?? 0
    const totalMs = numbers[at++] ?? 0
    const outcome = text() as Attempt['outcome']
    const observations = numbers[at++] ?? 0
    const shape = shapes[numbers[at++] ?? NONE]
    const ofOddities = numbers[at++] ?? 0
    const ofPhases = numbers[at++] ?? 0
    const ofParts = numbers[at++] ?? 0
    const ofMarks = numbers[at++] ?? 0
    const attrs = shape?.empty() ?? {}
    for (const name of shape?.names ?? []) {
      const kind = numbers[at++]
      const value = numbers[at++] ?? 0
      attrs[name] = kind === TEXT ? (texts[value] ?? '') : kind === NUMBER ? value : kind === TRUE
    }
    const oddities: Attempt['oddities'][number][] = []
    for (let i = 0; i < ofOddities; i++) oddities.push({ code: text() as Attempt['oddities'][number]['code'], sentence: text() })
    const phases: Phase[] = []
    for (let i = 0; i < ofPhases; i++) {
      phases.push({ phase: text(), startMs: numbers[at++] ?? 0, endMs: numbers[at++] ?? 0, ended: numbers[at++] === 1, code: maybe(), host: maybe() })
    }
    const parts: PhasePart[] = []
    for (let i = 0; i < ofParts; i++) {
      const phase = text()
      const startMs = numbers[at++] ?? 0
      const endMs = numbers[at++] ?? 0
      parts.push({ phase, startMs, endMs, ended: numbers[at++] === 1, code: maybe(), host: maybe(), part: text() })
    }
    const marks: Mark[] = []
    for (let i = 0; i < ofMarks; i++) marks.push({ atMs: numbers[at++] ?? 0, code: maybe(), phase: maybe(), text: maybe(), host: maybe() })
    yield {
      thread,
      person,
      mixed,
      attempt: { id, person: who, account, host, pool, session, startedAtMs, totalMs, outcome, attrs, oddities, observations, phases, parts, marks },
    }
  }
}
