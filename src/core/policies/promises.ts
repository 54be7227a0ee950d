import type { Org } from '../people/org'
import { settingOf, type Setting } from './catalogue'
import { compile } from './compile'
import type { SessionFacts } from './facts'
import { matrixOf } from './matrix'
import type { Demand, PolicySet, SetPromise } from './set'
import { universe } from './universe'
import { sayValueOf, strictness } from './value'
import { writeText } from './text'

export interface Broken {
  readonly setting: string
  readonly title: string
  readonly demanded: string
  readonly found: string
  /** The policy that decides so: its id, `base` or `default`. */
  readonly winner: string
  readonly people: number
  /** A session for which it is so, every fact of it. */
  readonly example: SessionFacts
}
export interface PromiseVerdict {
  readonly promise: string
  readonly name: string
  /** `if … then …` as text. */
  readonly said: string
  readonly state: 'kept' | 'broken' | 'nobody' | 'not decided'
  readonly broken: readonly Broken[]
  /** Sessions told apart that it speaks of. */
  readonly situations: number
  readonly people: number
  /** The waiver that lets it be published all the same; null where there is none, or it has ended. */
  readonly waived: Waiver | null
  /** A waiver that has ended. */
  readonly ended: Waiver | null
}
type Waiver = NonNullable<SetPromise['waived']>

/** Promises whose waiver has ended: they must hold again. */
export function endedWaivers(set: PolicySet, nowMs: number): { readonly id: string; readonly name: string; readonly waived: Waiver }[] {
  return set.promises.flatMap(({ id, name, waived }) => (waived && hasEnded(waived, nowMs) ? [{ id, name, waived }] : []))
}
const hasEnded = ({ until }: Waiver, nowMs: number): boolean => Date.parse(until) <= nowMs

function sayDemand(demand: Demand): string {
  const setting = settingOf(demand.setting)
  if (!setting) return demand.setting
  return 'is' in demand
    ? `${setting.title}: ${demand.is.map((value) => sayValueOf(setting, value)).join(' or ')}`
    : `${setting.title}: ${sayValueOf(setting, demand.atLeast)} or stricter`
}

const meets = (setting: Setting, demand: Demand, value: unknown): boolean =>
  'is' in demand
    ? demand.is.some((wanted) => JSON.stringify(wanted) === JSON.stringify(value))
    : (strictness(setting, value) ?? -Infinity) >= (strictness(setting, demand.atLeast) ?? Infinity)

/** Looks at every class of sessions that a promise speaks of, for each promise: kept, or broken with an example. Exact; where there are too many: not decided. */
export function checkPromises(set: PolicySet, org: Org, nowMs: number, limit?: number): PromiseVerdict[] {
  return set.promises.map((promise) => checkPromise(set, promise, org, nowMs, limit))
}

function checkPromise(set: PolicySet, promise: SetPromise, org: Org, nowMs: number, limit?: number): PromiseVerdict {
  const compiled = compile(set)
  const settings = promise.then.flatMap(({ setting }) => settingOf(setting) ?? [])
  const when = compiled.condition(promise.when)
  const involved = [...new Set(settings.flatMap((setting) => compiled.setters.get(setting) ?? []))].flatMap((at) => compiled.policies[at] ?? [])
  const { situations, complete } = universe(compiled, org, {
    nowMs,
    nodes: [when, ...involved.map(({ node }) => node)],
    policies: involved,
    ...(limit ? { limit } : {}),
  })
  const waiver = promise.waived ?? null
  const [waived, ended] = waiver && hasEnded(waiver, nowMs) ? [null, waiver] : [waiver, null]
  const said = `${writeText(promise.when)}: ${promise.then.map(sayDemand).join('; ')}`
  const verdict = { promise: promise.id, name: promise.name, said, waived, ended }
  if (!complete && situations.length === 0) return { ...verdict, state: 'not decided', broken: [], situations: 0, people: 0 }
  const matrix = matrixOf(compiled, org, situations, { settings, watch: [when] })
  const spoken = new Set<number>()
  let cells = 0
  const broken = new Map<string, { classes: Set<number>; example: SessionFacts; demand: Demand; value: unknown; by: number }>()
  for (const [s, row] of matrix.cells.entries()) {
    const bits = matrix.watched[s]?.[0]
    for (let c = 0; c < row.length; c++) {
      const at = row[c] ?? -1
      if (at < 0 || !(((bits?.[c >>> 5] ?? 0) >>> (c & 31)) & 1)) continue
      cells++
      spoken.add(c)
      const result = matrix.results[at]
      for (const [d, demand] of promise.then.entries()) {
        const setting = settings[d]
        const value = result?.values[d]
        if (!setting || meets(setting, demand, value)) continue
        const by = result?.winners[d] ?? -2
        const key = `${d}|${by}|${JSON.stringify(value)}`
        const known = broken.get(key)
        if (known) known.classes.add(c)
        else
          broken.set(key, {
            classes: new Set([c]),
            example: { person: matrix.classes[c]?.people[0]?.id, ...situations[s]?.facts },
            demand,
            value,
            by,
          })
      }
    }
  }
  const peopleIn = (classes: Set<number>) => [...classes].reduce((n, c) => n + (matrix.classes[c]?.people.length ?? 0), 0)
  return {
    ...verdict,
    state: broken.size ? 'broken' : !complete ? 'not decided' : cells === 0 ? 'nobody' : 'kept',
    situations: cells,
    people: peopleIn(spoken),
    broken: [...broken.values()].flatMap(({ classes, example, demand, value, by }) => {
      const setting = settingOf(demand.setting)
      if (!setting) return []
      return [
        {
          setting: setting.id,
          title: setting.title,
          demanded: sayDemand(demand),
          found: sayValueOf(setting, value),
          winner: by === -1 ? 'base' : by === -2 ? 'default' : (compiled.policies[by]?.policy.id ?? ''),
          people: peopleIn(classes),
          example,
        },
      ]
    }),
  }
}
