import { describe, expect, it } from 'vitest'
import { emptied } from '../db/fixtures/emptied'
import { forgetChange, keepChanges, listChanges, recentChanges, type NewChange } from './changes'

const NOW = Date.UTC(2026, 10, 27, 12)
const DAY_MS = 86_400_000
const database = emptied('changes')

const change = (more: Partial<NewChange> = {}): NewChange => ({
  atMs: NOW - 1000.4,
  kind: 'image',
  scope: [{ dimension: 'image', value: '2026.12' }],
  sentence: 'Image 2026.12 was rolled out.',
  who: 'the build line',
  ...more,
})

describe('changes that are told of', () => {
  it('are kept as they were told, at whole milliseconds, each under an id of its own', async () => {
    const ids = await keepChanges(database, [change(), change()], NOW)
    expect(new Set(ids).size).toBe(2)
    const [first] = await listChanges(database, NOW - DAY_MS, NOW)
    expect(first).toMatchObject({ ...change(), atMs: NOW - 1000, toldMs: NOW })
    expect(await keepChanges(database, [], NOW)).toEqual([])
  })

  it('told again under the same id take the place of what was told; when that was first stays', async () => {
    await keepChanges(database, [change({ id: 'roll-7' })], NOW)
    await keepChanges(database, [change({ id: 'roll-7', sentence: 'It was image 2026.13.', scope: [] })], NOW + 60_000)
    expect(await listChanges(database, NOW - DAY_MS, NOW)).toMatchObject([
      { id: 'roll-7', sentence: 'It was image 2026.13.', scope: [], toldMs: NOW },
    ])
    // Twice in one telling is once.
    await keepChanges(database, [change({ id: 'roll-8' }), change({ id: 'roll-8' })], NOW)
    expect(await listChanges(database, NOW - DAY_MS, NOW)).toHaveLength(2)
  })

  it('are listed by when they were, the newest first, within a window', async () => {
    await keepChanges(
      database,
      [3, 1, 2].map((days) => change({ id: `d${days}`, atMs: NOW - days * DAY_MS })),
      NOW,
    )
    const ids = async (fromDays: number, toDays: number) =>
      (await listChanges(database, NOW - fromDays * DAY_MS, NOW - toDays * DAY_MS)).map(({ id }) => id)
    expect(await ids(9, 0)).toEqual(['d1', 'd2', 'd3'])
    // The beginning of a window is in it, its end is not.
    expect(await ids(2, 1)).toEqual(['d2'])
  })

  it('are suspected for as long as something of a month can have begun with them, and of tomorrow too', async () => {
    await keepChanges(
      database,
      [
        change({ id: 'old', atMs: NOW - 50 * DAY_MS }),
        change({ id: 'month', atMs: NOW - 40 * DAY_MS }),
        change({ id: 'soon', atMs: NOW + DAY_MS / 2 }),
        change({ id: 'later', atMs: NOW + 2 * DAY_MS }),
      ],
      NOW,
    )
    expect((await recentChanges(database, NOW)).map(({ id, by }) => [id, by])).toEqual([
      ['soon', 'the build line'],
      ['month', 'the build line'],
    ])
  })

  it('are forgotten once, and then not known', async () => {
    await keepChanges(database, [change({ id: 'x' })], NOW)
    expect(await forgetChange(database, 'x')).toMatchObject({ id: 'x', kind: 'image' })
    expect(await forgetChange(database, 'x')).toBeNull()
    expect(await listChanges(database, 0, NOW)).toEqual([])
  })
})
