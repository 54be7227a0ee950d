import { readPattern } from '../files/pattern'
import type { Setting } from './catalogue'
import { readLocation } from './location'

export type ValueReading = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly sentence: string }

const good = (value: unknown): ValueReading => ({ ok: true, value })
const bad = (sentence: string): ValueReading => ({ ok: false, sentence })
const shown = (value: unknown) => JSON.stringify(value) ?? 'nothing'

/** Reads a value for a setting and brings it into its plain form; or says what it should look like. */
export function readValue({ type }: Setting, value: unknown): ValueReading {
  switch (type.kind) {
    case 'switch':
      // YAML of an older kind reads a bare on as true.
      if (value === true || value === 'on') return good('on')
      if (value === false || value === 'off') return good('off')
      return bad(`It is on or off, not ${shown(value)}.`)
    case 'choice':
      return type.options.some(({ id }) => id === value)
        ? good(value)
        : bad(`It is one of ${type.options.map(({ id }) => id).join(', ')}, not ${shown(value)}.`)
    case 'number': {
      if (type.none !== undefined && value === 'none') return good('none')
      const range = `a number from ${type.min} to ${type.max} ${type.unit}${type.none === undefined ? '' : ', or none'}`
      if (typeof value !== 'number' || !Number.isFinite(value)) return bad(`It is ${range}, not ${shown(value)}.`)
      return value >= type.min && value <= type.max ? good(value) : bad(`It is ${range}; ${value} is outside.`)
    }
    case 'text':
      if (typeof value !== 'string') return bad('It is a text.')
      if (value.length > type.max) return bad(`It has at most ${type.max} characters.`)
      return type.of === 'location' && value.trim() !== '' ? readPath(value) : good(value)
    case 'list':
      if (!Array.isArray(value)) return bad('It is a list.')
      if (value.length > type.max) return bad(`It has at most ${type.max} entries, not ${value.length}.`)
      return readEntries(type.of, value)
    case 'seconds by pool': {
      if (!value || typeof value !== 'object' || Array.isArray(value)) return bad('It names pools and seconds.')
      const odd = Object.entries(value).find(([, seconds]) => typeof seconds !== 'number' || !(seconds >= 1 && seconds <= 3600))
      return odd ? bad(`For ${odd[0]} it is a number from 1 to 3600 s.`) : good(value)
    }
  }
}

function readPath(text: string): ValueReading {
  const reading = readLocation(text)
  return reading.ok ? good(reading.path) : bad(reading.sentence)
}

function readEntries(of: Extract<Setting['type'], { kind: 'list' }>['of'], entries: readonly unknown[]): ValueReading {
  const plain: unknown[] = []
  for (const [index, entry] of entries.entries()) {
    const reading = readEntry(of, entry)
    if (!reading.ok) return bad(`Entry ${index + 1}: ${reading.sentence}`)
    plain.push(reading.value)
  }
  const keys = plain.map((one) => JSON.stringify(one).toLowerCase())
  const twice = keys.findIndex((key, index) => keys.indexOf(key) < index)
  return twice >= 0 ? bad(`Entry ${twice + 1} is in the list twice.`) : good(plain)
}

function readEntry(of: Extract<Setting['type'], { kind: 'list' }>['of'], entry: unknown): ValueReading {
  if (of === 'path rule') {
    const { pattern, does } = (entry ?? {}) as { pattern?: unknown; does?: unknown }
    if (typeof pattern !== 'string' || (does !== 'keep' && does !== 'skip' && does !== 'mirror'))
      return bad('It has a pattern, and does keep, skip or mirror.')
    const reading = readPattern(pattern)
    return reading.ok ? good({ pattern, does }) : bad(reading.sentence)
  }
  if (typeof entry !== 'string' || entry.trim() === '') return bad('It is a text that is not blank.')
  if (entry.length > 500) return bad('It has at most 500 characters.')
  if (of === 'location') return readPath(entry)
  if (of === 'drive') {
    const match = /^([a-z]):\s*(.+)$/i.exec(entry.trim())
    if (!match?.[1] || !match[2]) return bad(String.raw`“${entry}” should look like S: \\server\share.`)
    const reading = readLocation(match[2])
    return reading.ok ? good(`${match[1].toUpperCase()}: ${reading.path}`) : bad(reading.sentence)
  }
  return good(entry.trim())
}

/** A value as a sentence would say it. */
export function sayValueOf({ type }: Setting, value: unknown): string {
  if (value === undefined || value === null) return 'not set'
  switch (type.kind) {
    case 'switch':
      return typeof value === 'string' ? value : shown(value)
    case 'choice':
      return type.options.find(({ id }) => id === value)?.title ?? shown(value)
    case 'number':
      return value === 'none' ? (type.none ?? 'none') : sayNumber(value, type.unit)
    case 'text':
      return value === '' ? 'nothing' : typeof value === 'string' ? value : shown(value)
    case 'list':
      return Array.isArray(value) ? value.map(sayEntry).join(type.of === 'location' ? ', then ' : ', ') || 'none' : shown(value)
    case 'seconds by pool':
      return (
        Object.entries(value as Record<string, number>)
          .map(([pool, seconds]) => `${pool} ${seconds} s`)
          .join(', ') || 'none'
      )
  }
}

function sayEntry(entry: unknown): string {
  if (typeof entry === 'string') return entry
  const { pattern, does } = entry as { pattern: string; does: string }
  return `${does} ${pattern}`
}

function sayNumber(value: unknown, unit: string): string {
  if (typeof value !== 'number') return shown(value)
  if (unit === 'MiB' && value >= 1024 && value % 1024 === 0) return `${value / 1024} GiB`
  if (unit === 'min' && value >= 60 && value % 60 === 0) return value % 1440 === 0 ? `${value / 1440} d` : `${value / 60} h`
  // One location, two locations.
  return `${value} ${value === 1 && unit.length > 3 && unit.endsWith('s') ? unit.slice(0, -1) : unit}`
}

/** How strict a value is: a greater number is stricter. Null where the setting has no stricter side, or the value is unknown. */
export function strictness({ type, stricter }: Setting, value: unknown): number | null {
  if (stricter === null) return null
  if (stricter === 'on' || stricter === 'off') return value === stricter ? 1 : 0
  if (typeof stricter !== 'string') {
    const at = stricter.indexOf(String(value))
    return at < 0 ? null : stricter.length - at
  }
  const number = value === 'none' && type.kind === 'number' ? Infinity : typeof value === 'number' ? value : null
  if (number === null) return null
  return stricter === 'less' ? -number : number
}

/** Which way a change of a value goes. */
export function direction(setting: Setting, before: unknown, after: unknown): 'stricter' | 'looser' | 'other' {
  const [a, b] = [strictness(setting, before), strictness(setting, after)]
  if (a === null || b === null || a === b) return 'other'
  return b > a ? 'stricter' : 'looser'
}
