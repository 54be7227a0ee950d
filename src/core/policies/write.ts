import { CATALOGUE, type Setting } from './catalogue'
import { DAYS } from './condition'
import type { PolicySet, Values } from './set'

const order = new Map(CATALOGUE.map(({ id }, index) => [id, index]))

/** Settings in the order of the catalogue; unknown ones after them, by name: so that a set under version control changes only where it changed. */
function ordered(values: Values): Values {
  const place = (id: string) => order.get(id) ?? Infinity
  return Object.fromEntries(Object.entries(values).sort(([a], [b]) => place(a) - place(b) || (a < b ? -1 : 1)))
}

/** A set as it is written to a file: the same set always gives the same text. */
export function writable(set: PolicySet): object {
  const without = (entries: Record<string, unknown>) =>
    Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined && value !== ''))
  return {
    format: 'ikebana-policies/1',
    base: ordered(set.base),
    ...(set.networks.length ? { networks: set.networks } : {}),
    policies: set.policies.map(({ id, name, owner, note, state, from, until, since, when, settings }) =>
      without({ id, name, owner, note, state, from, until, since, when, settings: ordered(settings) }),
    ),
    ...(set.promises.length ? { promises: set.promises.map(({ id, name, when, then, waived }) => without({ id, name, when, then, waived })) } : {}),
  }
}

const text = { type: 'string' }
const texts = { type: 'array', items: { type: 'string', minLength: 1 }, minItems: 1 }
const closed = (properties: Record<string, unknown>, required: readonly string[] = []) => ({
  type: 'object',
  properties,
  required,
  additionalProperties: false,
})
const span = (of: object) => ({ ...closed({ from: of, below: of }), minProperties: 1 })

/** The JSON Schema (2020-12) of a set, made from the catalogue. Published as docs/formats/policies.schema.json; a test holds the two together. */
export function setSchema(): object {
  const condition = { $ref: '#/$defs/condition' }
  const leaves: Record<string, unknown> = {
    person: texts,
    group: texts,
    pool: texts,
    host: texts,
    zone: texts,
    image: texts,
    clientKind: texts,
    clientName: texts,
    clientVersion: span({ type: 'string', pattern: '^\\d+(\\.\\d+)*$' }),
    address: texts,
    network: texts,
    rttMs: span({ type: 'number', minimum: 0 }),
    bandwidthKbps: span({ type: 'number', minimum: 0 }),
    time: closed(
      {
        zone: text,
        days: { type: 'array', items: { enum: DAYS }, minItems: 1 },
        from: { type: 'string', pattern: '^\\d\\d:\\d\\d$' },
        until: { type: 'string', pattern: '^\\d\\d:\\d\\d$' },
        firstDay: { type: 'string', format: 'date' },
        lastDay: { type: 'string', format: 'date' },
      },
      ['zone'],
    ),
    signOn: { enum: ['second-factor', 'key'] },
    first: { type: 'boolean' },
  }
  const parts = { type: 'array', items: condition }
  const moment = { type: 'string', format: 'date-time' }
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Policies of Ikebana',
    type: 'object',
    properties: {
      format: { const: 'ikebana-policies/1' },
      base: { $ref: '#/$defs/settings' },
      networks: {
        type: 'array',
        items: {
          ...closed({ id: text, addresses: texts, rttMs: span({ type: 'number' }), bandwidthKbps: span({ type: 'number' }) }, ['id']),
          minProperties: 2,
        },
      },
      policies: {
        description: 'Highest first.',
        type: 'array',
        maxItems: 10_000,
        items: closed(
          {
            id: { type: 'string', pattern: '^[\\p{L}\\p{N}._-]{1,100}$' },
            name: text,
            owner: text,
            note: text,
            state: { enum: ['on', 'off', 'draft'] },
            from: moment,
            until: moment,
            since: moment,
            when: condition,
            settings: { $ref: '#/$defs/settings' },
          },
          ['id'],
        ),
      },
      promises: {
        type: 'array',
        items: closed(
          {
            id: text,
            name: text,
            when: condition,
            then: {
              type: 'array',
              minItems: 1,
              items: {
                ...closed({ setting: { enum: CATALOGUE.map(({ id }) => id) }, is: { type: 'array' }, atLeast: {} }, ['setting']),
                oneOf: [{ required: ['is'] }, { required: ['atLeast'] }],
              },
            },
            waived: closed({ reason: text, until: moment, by: text }, ['reason', 'until', 'by']),
          },
          ['id', 'then'],
        ),
      },
    },
    $defs: {
      condition: {
        description: 'Exactly one key.',
        oneOf: [
          ...['all', 'any', 'none'].map((key) => closed({ [key]: parts }, [key])),
          ...Object.entries(leaves).map(([key, shape]) => closed({ [key]: shape }, [key])),
        ],
      },
      settings: {
        type: 'object',
        properties: Object.fromEntries(
          CATALOGUE.map((setting) => [
            setting.id,
            { title: setting.title, description: setting.sentence, default: setting.default, ...shapeOf(setting) },
          ]),
        ),
        additionalProperties: true,
      },
    },
  }
}

function shapeOf({ type }: Setting): object {
  switch (type.kind) {
    case 'switch':
      return { enum: ['on', 'off'] }
    case 'choice':
      return { enum: type.options.map(({ id }) => id) }
    case 'number': {
      const number = { type: 'number', minimum: type.min, maximum: type.max }
      return type.none === undefined ? number : { anyOf: [number, { const: 'none' }] }
    }
    case 'text':
      return { type: 'string', maxLength: type.max }
    case 'list':
      return {
        type: 'array',
        maxItems: type.max,
        items:
          type.of === 'path rule'
            ? closed({ pattern: text, does: { enum: ['keep', 'skip', 'mirror'] } }, ['pattern', 'does'])
            : { type: 'string', minLength: 1 },
      }
    case 'seconds by pool':
      return { type: 'object', additionalProperties: { type: 'number', minimum: 1, maximum: 3600 } }
  }
}
