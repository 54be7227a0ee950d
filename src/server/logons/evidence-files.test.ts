import { describe, expect, it } from 'vitest'
import { chunkBytes, inStep } from './evidence-files'

/** Reads files that are lists of moments, each a piece. @returns what was read in which order */
async function orderOf(...files: readonly (readonly number[])[]): Promise<number[]> {
  const read: number[] = []
  await inStep(files, async (file, turn) => {
    for (const ms of file) {
      // As a disk does, now sooner and now later.
      for (let i = 0; i < ms % 3; i++) await Promise.resolve()
      read.push(ms)
      await turn(ms)
    }
  })
  return read
}

describe('files read beside each other', () => {
  it('go on where they are furthest back, once all have begun', async () => {
    expect(await orderOf([10, 40, 70], [20, 30, 90], [])).toEqual(expect.arrayContaining([10, 20]))
    expect((await orderOf([10, 40, 70], [20, 30, 90])).slice(2)).toEqual([40, 30, 90, 70])
    expect(await orderOf([3, 2, 1])).toEqual([3, 2, 1])
    expect(await orderOf()).toEqual([])
  })

  it('are all read, however many there are', async () => {
    const files = Array.from({ length: 500 }, (_, i) => [i, i + 1000])
    expect((await orderOf(...files)).sort((a, b) => a - b)).toEqual(files.flat().sort((a, b) => a - b))
    expect([1, 28, 100_000].map(chunkBytes)).toEqual([1 << 20, Math.floor((1 << 22) / 28), 1 << 15])
  })

  it('fail with the one that fails, and none is left open', async () => {
    const closed: number[] = []
    const reading = inStep([1, 2, 3], async (file, turn) => {
      try {
        await turn(file)
        if (file === 1) throw new Error('broken')
        await turn(Infinity)
      } finally {
        closed.push(file)
      }
    })
    await expect(reading).rejects.toThrow('broken')
    expect(closed.sort()).toEqual([1, 2, 3])
  })
})
