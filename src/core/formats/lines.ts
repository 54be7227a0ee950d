import type { Observation } from '../logons/observation'
import { readWho } from './observation'

/** A text that is put between lines. No line that is read with others has it in it, so none can pretend to be two, nor two to be one. */
const BETWEEN = '¦'
/** The same by its number. */
const ESCAPED = /\\u00a6/i

/** How lines begin, and what that says. */
interface Begin {
  readonly written: string
  readonly said: Partial<Observation> | null
}
const NO_BEGIN: Begin = { written: '', said: null }
/** Where a begin is kept in vain again and again, it is tried only once in so many lines. */
const LONGEST_PAUSE = 64

/**
 * Parses lines of JSON, many at once: that is quicker than one by one. Lines of one attempt stand together as a rule and begin alike, letter by letter, with
 * who and where; that is parsed once, and of the others only the rest.
 */
export class LineParser {
  #begin = NO_BEGIN
  #used = false
  #pause = 0
  #nextPause = 1

  /**
   * @param clean no letter is written by its number in any of them
   * @param take told of each line that is not empty: its value, or that of its rest where `said` has what it begins with
   * @returns whether they could be parsed; where not, at least one of them is no JSON by itself, and nothing was taken
   */
  parse(lines: readonly string[], clean: boolean, take: (value: unknown, said: Partial<Observation> | null, line: number) => void): boolean {
    const begins: Begin[] = []
    const numbers: number[] = []
    let all = '['
    for (let i = 0; i < lines.length; i++) {
      const line = lines[i] ?? ''
      if (line === '' || line === '\r') continue
      if (begins.length > 0) all += `,"${BETWEEN}",`
      const begin = this.#beginOf(line, clean)
      all += begin === NO_BEGIN ? line : `{${line.slice(begin.written.length)}`
      begins.push(begin)
      numbers.push(i)
    }
    let values: unknown[]
    try {
      values = JSON.parse(`${all}]`) as unknown[]
    } catch {
      return false
    }
    const whole = begins.length === 0 ? 0 : 2 * begins.length - 1
    if (values.length !== whole) return false
    for (let i = 1; i < whole; i += 2) if (values[i] !== BETWEEN) return false
    for (let i = 0; i < begins.length; i++) take(values[2 * i], begins[i]?.said ?? null, numbers[i] ?? 0)
    return true
  }

  #beginOf(line: string, clean: boolean): Begin {
    const { written } = this.#begin
    if (written !== '' && line.slice(0, written.length) === written) {
      this.#used = true
      return this.#begin
    }
    if (this.#used) this.#nextPause = 1
    else if (this.#pause > 0) {
      this.#pause--
      return NO_BEGIN
    }
    this.#used = false
    this.#pause = this.#nextPause - 1
    this.#nextPause = Math.min(2 * this.#nextPause, LONGEST_PAUSE)
    return (this.#begin = readBegin(line, clean))
  }
}

/** Whether lines may be parsed together at all. */
export const canBeTogether = (text: string, clean: boolean): boolean => !text.includes(BETWEEN) && (clean || !ESCAPED.test(text))

/** Who and where, up to the comma before what happened or when; no begin where other things stand before that, or nothing. */
function readBegin(line: string, clean: boolean): Begin {
  const [kind, time] = [line.indexOf(',"kind":'), line.indexOf(',"time":')]
  const to = kind < 0 || (time >= 0 && time < kind) ? time : kind
  if (to < 0) return NO_BEGIN
  try {
    const said = readWho(JSON.parse(`${line.slice(0, to)}}`), clean)
    return said ? { written: line.slice(0, to + 1), said } : NO_BEGIN
  } catch {
    return NO_BEGIN
  }
}
