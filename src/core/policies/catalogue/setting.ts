/** The parts of the job that settings belong to, in the order in which they are shown. */
export const AREAS = [
  'profile container',
  'file roaming',
  'personal area',
  'time limits',
  'clipboard',
  'printing',
  'drives and home folder',
  'devices',
  'watermark and capture',
  'picture by line',
  'transport and calls',
  'sign-on and lock',
  'local administrator',
  'self-service',
  'packages',
  'logons',
] as const
export type Area = (typeof AREAS)[number]

/** What a setting can be. Switches are `on` or `off`; a number with `none` may also be the word `none`: no limit at all. */
export type ValueType =
  | { readonly kind: 'switch' }
  | { readonly kind: 'choice'; readonly options: readonly { readonly id: string; readonly title: string }[] }
  | { readonly kind: 'number'; readonly unit: string; readonly min: number; readonly max: number; readonly none?: string }
  | { readonly kind: 'text'; readonly max: number; readonly of?: 'location' }
  | { readonly kind: 'list'; readonly of: 'location' | 'group' | 'name' | 'drive' | 'path rule'; readonly max: number }
  | { readonly kind: 'seconds by pool' }

/**
 * How a value is chosen where several policies set it. Of `first`, `strictest` and `loosest` the base policy speaks only where no other policy does;
 * in `union` and `append` it takes part. See docs/formats/policies.md for the laws.
 */
export type Combine = 'first' | 'strictest' | 'loosest' | 'union' | 'append'

export interface Setting {
  readonly id: string
  readonly area: Area
  readonly title: string
  /** What it does, for somebody who has never seen it. */
  readonly sentence: string
  readonly type: ValueType
  readonly default: unknown
  /** Which way is stricter: the lesser or the greater number, this position of the switch, or choices from the strictest to the loosest; null: neither. */
  readonly stricter: 'less' | 'more' | 'on' | 'off' | readonly string[] | null
  readonly combine: Combine
  readonly takesEffect: 'next logon' | 'at once' | 'host restart' | 'in Ikebana'
  /** It does nothing unless that other setting has one of these values. */
  readonly needs?: { readonly setting: string; readonly is: readonly unknown[] }
  /** `host`: the same for all sessions of a host, so that only pool, host, zone and image can decide on it; `base`: the same for everybody. */
  readonly holdsFor: 'base' | 'host' | 'session'
}

type Given = Partial<Pick<Setting, 'stricter' | 'combine' | 'takesEffect' | 'needs' | 'holdsFor'>>
const DEFAULTS = { stricter: null, combine: 'first', takesEffect: 'next logon', holdsFor: 'session' } as const

const setting = (area: Area, id: string, title: string, sentence: string, type: ValueType, value: unknown, given: Given): Setting => ({
  id,
  area,
  title,
  sentence,
  type,
  default: value,
  ...DEFAULTS,
  ...given,
})

/** Makes the settings of one area: a table of few words. */
export function area(name: Area) {
  return {
    turn: (id: string, title: string, sentence: string, value: 'on' | 'off', given: Given = {}) =>
      setting(name, id, title, sentence, { kind: 'switch' }, value, given),
    /** @param options id and title of each choice */
    pick: (id: string, title: string, sentence: string, options: Readonly<Record<string, string>>, value: string, given: Given = {}) =>
      setting(name, id, title, sentence, { kind: 'choice', options: Object.entries(options).map(([id, title]) => ({ id, title })) }, value, given),
    /** @param range unit, least and greatest */
    measure: (id: string, title: string, sentence: string, range: readonly [string, number, number], value: number, given: Given = {}) =>
      setting(name, id, title, sentence, { kind: 'number', unit: range[0], min: range[1], max: range[2] }, value, given),
    /** A number that may also be `none`. @param none how the absence of a limit is said */
    limit: (
      id: string,
      title: string,
      sentence: string,
      range: readonly [string, number, number],
      none: string,
      value: number | 'none',
      given: Given = {},
    ) =>
      setting(name, id, title, sentence, { kind: 'number', unit: range[0], min: range[1], max: range[2], none }, value, {
        stricter: 'less',
        ...given,
      }),
    words: (id: string, title: string, sentence: string, value: string, given: Given & { of?: 'location' } = {}) => {
      const { of, ...rest } = given
      return setting(name, id, title, sentence, { kind: 'text', max: 500, ...(of ? { of } : {}) }, value, rest)
    },
    list: (id: string, title: string, sentence: string, of: Extract<ValueType, { kind: 'list' }>['of'], max: number, given: Given = {}) =>
      setting(name, id, title, sentence, { kind: 'list', of, max }, [], given),
    raw: (id: string, title: string, sentence: string, type: ValueType, value: unknown, given: Given = {}) =>
      setting(name, id, title, sentence, type, value, given),
  }
}
