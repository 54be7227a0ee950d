import { describe, expect, it } from 'vitest'
import { Turns } from './turns'

/** Work that says its name when it begins, and ends when it is told to. */
function told() {
  const begun: string[] = []
  const end = new Map<string, () => void>()
  const work = (name: string) => () =>
    new Promise<string>((resolve) => {
      begun.push(name)
      end.set(name, () => {
        resolve(name)
      })
    })
  const after = async (name: string, done: Promise<string>) => {
    end.get(name)?.()
    await done
  }
  return { begun, work, after }
}

describe('turns', () => {
  it('are taken in order, one at a time, whatever becomes of the work', async () => {
    const turns = new Turns(() => false)
    const order: number[] = []
    const results = await Promise.allSettled(
      [1, 2, 3].map((n) =>
        turns.take(async () => {
          order.push(n)
          await Promise.resolve()
          order.push(n)
          if (n === 2) throw new Error('went wrong')
          return n
        }),
      ),
    )
    expect(order).toEqual([1, 1, 2, 2, 3, 3])
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'fulfilled'])
  })

  it('are left to others by whoever yields, while somebody waits for a page', async () => {
    let isAwaited = true
    const turns = new Turns(() => isAwaited)
    const { begun, work, after } = told()
    const first = turns.take(work('first'))
    const late = turns.take(work('evidence'), true)
    const page = turns.take(work('page'))
    await after('first', first)
    await after('page', page)
    // They ask again as soon as they are answered.
    const again = turns.take(work('page again'))
    expect(begun).toEqual(['first', 'page', 'page again'])
    await after('page again', again)
    expect(begun).toHaveLength(3)
    isAwaited = false
    await expect.poll(() => begun).toEqual(['first', 'page', 'page again', 'evidence'])
    // What has begun goes on.
    const more = turns.take(work('more'))
    expect(begun).toHaveLength(4)
    await after('evidence', late)
    await after('more', more)
    expect(begun).toHaveLength(5)
    const next = turns.take(work('next evidence'), true)
    expect(begun).toHaveLength(6)
    await after('next evidence', next)
  })

  it('come to whoever yields even where others never stop asking', async () => {
    const turns = new Turns(() => true)
    let asked = 0
    let done = false
    const pages = (async () => {
      while (!done) await turns.take(() => new Promise<void>((next) => setImmediate(() => (asked++, next()))))
    })()
    await turns.take(() => Promise.resolve(), true).then(() => (done = true))
    await pages
    expect(asked).toBeGreaterThan(10)
  })
})
