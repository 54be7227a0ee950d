import {
  ALWAYS,
  DAYS,
  FACTS,
  isGroupOf,
  leafOf,
  partsOf,
  plain,
  readCondition,
  type Condition,
  type Day,
  type FactName,
  type Leaf,
  type Span,
  type TimeWindow,
} from './condition'

/*
 * Conditions as text:
 *   group is crew and not (network is office or address in 10.0.0.0/8)
 *   pool is back-office, ticket-hall and time in Mon-Fri 05:40-14:00 Europe/Copenhagen
 *   client version from 2.4 below 3 · round trip below 80 · sign-on at least second-factor · first logon · returning logon · always · never
 * `and` binds more than `or`; a comma lists names. Names with blanks or commas stand in quotation marks.
 */

const quoted = (name: string) =>
  /^[\p{L}\p{N}._*?@/:\\-]+$/u.test(name) && !KEYWORDS.has(name.toLowerCase()) ? name : `"${name.replaceAll(/["\\]/g, '\\$&')}"`
const KEYWORDS = new Set(['and', 'or', 'not', 'always', 'never', 'from', 'below', 'in', 'is', 'like', 'at', 'least'])
const list = (want: unknown) => (want as string[]).map(quoted).join(', ')
const span = ({ from, below }: Span<string | number>, unit = '') =>
  [from === undefined ? '' : `from ${from}${unit}`, below === undefined ? '' : `below ${below}${unit}`].filter(Boolean).join(' ')

/** A condition as text that readText reads. */
export function writeText(condition: Condition): string {
  return write(plain(condition), 0)
}

function write(condition: Condition, within: 0 | 1 | 2): string {
  if (!isGroupOf(condition)) return writeLeaf(condition)
  const parts = partsOf(condition)
  if ('none' in condition) {
    if (parts.length === 0) return 'always'
    const [only] = parts
    return parts.length === 1 && only ? `not ${write(only, 2)}` : `not (${parts.map((part) => write(part, 1)).join(' or ')})`
  }
  const and = 'all' in condition
  if (parts.length === 0) return and ? 'always' : 'never'
  const text = parts.map((part) => write(part, and ? 2 : 1)).join(and ? ' and ' : ' or ')
  return within === 2 || (within === 1 && !and) ? `(${text})` : text
}

function writeLeaf(leaf: Leaf): string {
  const { name, want } = leafOf(leaf)
  const { title, sort, unit } = FACTS[name]
  switch (sort) {
    case 'names':
      return `${title} is ${list(want)}`
    case 'patterns':
      return `${title} like ${list(want)}`
    case 'ranges':
      return `${title} in ${list(want)}`
    case 'numbers':
      return `${title} ${span(want as Span<number>, ` ${unit ?? ''}`)}`
    case 'version':
      return `${title} ${span(want as Span<string>)}`
    case 'time':
      return `time in ${writeWindow(want as TimeWindow)}`
    case 'strength':
      return `sign-on at least ${want as string}`
    case 'yes':
      return want ? 'first logon' : 'returning logon'
  }
}

function writeWindow({ zone, days, from, until, firstDay, lastDay }: TimeWindow): string {
  return [
    days ? writeDays(days) : '',
    from !== undefined ? `${from}-${until ?? ''}` : '',
    firstDay || lastDay ? `${firstDay ?? ''}..${lastDay ?? ''}` : '',
    zone,
  ]
    .filter(Boolean)
    .join(' ')
}

function writeDays(days: readonly Day[]): string {
  const at = [...new Set(days.map((day) => DAYS.indexOf(day)))].sort((a, b) => a - b)
  const runs: [number, number][] = []
  for (const day of at) {
    const last = runs.at(-1)
    if (last?.[1] === day - 1) last[1] = day
    else runs.push([day, day])
  }
  return runs.map(([a, b]) => (a === b ? DAYS[a] : `${DAYS[a] ?? ''}-${DAYS[b] ?? ''}`)).join(',')
}

export type TextReading =
  | { readonly ok: true; readonly condition: Condition }
  /** @property at the character at which it was not understood; `expected`: what could stand there */
  | { readonly ok: false; readonly at: number; readonly sentence: string; readonly expected: readonly string[] }

interface Token {
  readonly text: string
  readonly at: number
  readonly quoted: boolean
}

class NotUnderstood extends Error {
  constructor(
    readonly at: number,
    message: string,
    readonly expected: readonly string[],
  ) {
    super(message)
  }
}

/** The words with which a leaf can begin, longest first, so that “client name” is not taken for “client”. */
const BEGINNINGS = (Object.keys(FACTS) as FactName[])
  .filter((name) => name !== 'first')
  .map((name) => ({ name, words: FACTS[name].title.split(' ') }))
  .sort((a, b) => b.words.length - a.words.length)
const STARTS = ['not', '(', ...BEGINNINGS.map(({ words }) => words.join(' ')), 'first logon', 'returning logon', 'always', 'never']

/** Reads a condition from text; or says where it was not understood, and what could stand there. */
export function readText(text: string): TextReading {
  try {
    const reader = new Reader(text)
    const condition = reader.whole()
    const faults: { path: string; sentence: string }[] = []
    if (readCondition(condition, 'condition', faults) === null) return { ok: false, at: 0, sentence: faults[0]?.sentence ?? '', expected: [] }
    return { ok: true, condition: plain(condition) }
  } catch (error) {
    if (!(error instanceof NotUnderstood)) throw error
    return { ok: false, at: error.at, sentence: error.message, expected: error.expected }
  }
}

class Reader {
  readonly #tokens: Token[]
  readonly #end: number
  #next = 0
  #deep = 0

  constructor(text: string) {
    this.#end = text.length
    this.#tokens = tokensOf(text)
  }

  whole(): Condition {
    if (this.#tokens.length === 0) return ALWAYS
    const condition = this.#or()
    if (this.#peek()) this.#fail('Here the condition should be at its end, or go on with and or or.', ['and', 'or'])
    return condition
  }

  #peek(ahead = 0): Token | undefined {
    return this.#tokens[this.#next + ahead]
  }
  #is(...words: string[]): boolean {
    return words.every((word, index) => {
      const token = this.#peek(index)
      return token !== undefined && !token.quoted && token.text.toLowerCase() === word
    })
  }
  #take(...words: string[]): boolean {
    const found = this.#is(...words)
    if (found) this.#next += words.length
    return found
  }
  #fail(message: string, expected: readonly string[]): never {
    throw new NotUnderstood(this.#peek()?.at ?? this.#end, message, expected)
  }

  #or(): Condition {
    if (++this.#deep > 200) this.#fail('This is too deep.', [])
    const parts = [this.#and()]
    while (this.#take('or')) parts.push(this.#and())
    this.#deep--
    return parts.length === 1 && parts[0] ? parts[0] : { any: parts }
  }
  #and(): Condition {
    const parts = [this.#not()]
    while (this.#take('and')) parts.push(this.#not())
    return parts.length === 1 && parts[0] ? parts[0] : { all: parts }
  }
  #not(): Condition {
    let times = 0
    while (this.#take('not')) times++
    let condition = this.#single()
    while (times-- > 0) condition = { none: [condition] }
    return condition
  }
  #single(): Condition {
    if (this.#take('(')) {
      const inner = this.#or()
      if (!this.#take(')')) this.#fail('A bracket is still open here.', [')', 'and', 'or'])
      return inner
    }
    if (this.#take('always')) return ALWAYS
    if (this.#take('never')) return { any: [] }
    if (this.#take('first', 'logon')) return { first: true }
    if (this.#take('returning', 'logon')) return { first: false }
    const found = BEGINNINGS.find(({ words }) => this.#is(...words))
    if (!found) this.#fail('Here a fact should stand, such as group, pool or network.', STARTS)
    this.#next += found.words.length
    return this.#leaf(found.name)
  }

  #leaf(name: FactName): Condition {
    const { sort, title } = FACTS[name]
    switch (sort) {
      case 'names':
      case 'patterns':
      case 'ranges': {
        const word = { names: 'is', patterns: 'like', ranges: 'in' }[sort]
        if (!this.#take(word)) this.#fail(`After ${title} stands ${word}.`, [word])
        return { [name]: this.#names(name) } as unknown as Condition
      }
      case 'numbers':
        return {
          [name]: this.#span((token) => (/^\d+(\.\d+)?$/.test(token.text) ? Number(token.text) : null), FACTS[name].unit),
        } as unknown as Condition
      case 'version':
        return { clientVersion: this.#span<string>((token) => token.text, undefined) }
      case 'time':
        if (!this.#take('in')) this.#fail('After time stands in.', ['in'])
        return { time: this.#window() }
      case 'strength': {
        if (!this.#take('at', 'least')) this.#fail('After sign-on stands at least.', ['at least'])
        const strength = (['second-factor', 'key'] as const).find((one) => this.#take(one))
        if (!strength) this.#fail('It is second-factor or key.', ['second-factor', 'key'])
        return { signOn: strength }
      }
      case 'yes':
        return this.#fail('It is first logon or returning logon.', ['first logon', 'returning logon'])
    }
  }

  #names(name: FactName): string[] {
    const names: string[] = []
    do {
      const token = this.#peek()
      if (!token || (!token.quoted && (KEYWORDS.has(token.text.toLowerCase()) || /^[(),]$/.test(token.text))))
        this.#fail(`Here a ${FACTS[name].title} should stand.`, [`<${name}>`])
      names.push(token.text)
      this.#next++
    } while (this.#take(','))
    return names
  }

  #span<T>(read: (token: Token) => T | null, unit: string | undefined): Span<T> {
    const end = (): T => {
      const token = this.#peek()
      const value = token ? read(token) : null
      if (value === null) this.#fail('Here a number should stand.', [])
      this.#next++
      if (unit !== undefined) this.#take(unit)
      return value
    }
    const from = this.#take('from') ? end() : undefined
    const below = this.#take('below') ? end() : undefined
    if (from === undefined && below === undefined) this.#fail('Here from or below should stand.', ['from', 'below'])
    return { ...(from === undefined ? {} : { from }), ...(below === undefined ? {} : { below }) }
  }

  #window(): TimeWindow {
    let window: Omit<TimeWindow, 'zone'> = {}
    for (;;) {
      const token = this.#peek()
      if (!token) return this.#fail('Here days, hours, dates or a time zone should stand.', ['Mon-Fri', '05:40-14:00', '<timeZone>'])
      const hours = /^(\d\d:\d\d)-(\d\d:\d\d)$/.exec(token.text)
      const dates = /^(\d{4}-\d\d-\d\d)?\.\.(\d{4}-\d\d-\d\d)?$/.exec(token.text)
      const days = this.#daysOf(token.text)
      if (hours) window = { ...window, from: hours[1] ?? '', until: hours[2] ?? '' }
      else if (dates) window = { ...window, ...(dates[1] ? { firstDay: dates[1] } : {}), ...(dates[2] ? { lastDay: dates[2] } : {}) }
      else if (days) window = { ...window, days: [...(window.days ?? []), ...days] }
      else if (token.text !== ',') {
        this.#next++
        return { zone: token.text, ...window }
      }
      this.#next++
    }
  }
  #daysOf(text: string): Day[] | null {
    const at = (name: string | undefined) => DAYS.findIndex((day) => day.toLowerCase() === name?.toLowerCase())
    const [first, last, more] = text.split('-')
    const [a, b] = [at(first), last === undefined ? at(first) : at(last)]
    if (a < 0 || b < 0 || more !== undefined) return null
    const days: Day[] = []
    for (let day = a; ; day = (day + 1) % 7) {
      const name = DAYS[day]
      if (name) days.push(name)
      if (day === b) return days
    }
  }
}

function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  const shape = /\s*(?:"((?:[^"\\]|\\.)*)"|([(),])|([^\s(),"]+)|(.))/gsu
  for (const match of text.matchAll(shape)) {
    const [whole, inQuotes, mark, word, odd] = match
    const at = match.index + whole.length - whole.trimStart().length
    if (odd !== undefined && odd.trim() !== '') throw new NotUnderstood(at, 'A quotation mark is still open here.', ['"'])
    if (inQuotes !== undefined) tokens.push({ text: inQuotes.replaceAll(/\\(.)/gsu, '$1'), at, quoted: true })
    else if (mark ?? word) tokens.push({ text: mark ?? word ?? '', at, quoted: false })
  }
  return tokens
}

/** What could be typed next, at the end of a text; names come from what is known of the organisation. */
export function completions(
  text: string,
  known: Readonly<Record<string, readonly string[]>>,
): { readonly from: number; readonly words: readonly string[] } {
  // An odd number of quotation marks: the last one is still open.
  const open = (text.match(/"/g)?.length ?? 0) % 2 === 1
  const begun = (open ? /"[^"]*$/u : /[^\s(),"]*$/u).exec(text)?.[0] ?? ''
  const from = text.length - begun.length
  const before = text.slice(0, from)
  const reading = readText(before.trim() === '' ? '(' : before)
  const expected = reading.ok ? ['and', 'or'] : reading.at >= before.trimEnd().length || before.trim() === '' ? reading.expected : []
  const wanted = begun.replace(/^"/, '').toLowerCase()
  const words = expected.flatMap((word) => {
    const name = /^<(\w+)>$/.exec(word)?.[1]
    return name ? (known[name] ?? []).map(quoted) : [word]
  })
  return { from, words: words.filter((word) => word.replace(/^"/, '').toLowerCase().startsWith(wanted)).slice(0, 50) }
}
