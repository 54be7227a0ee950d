import { expect, it, vi } from 'vitest'
import { Attention } from './attention'

it('is there while pages are answered, whatever becomes of them, and for all threads that share it', async () => {
  const attention = new Attention()
  const elsewhere = new Attention(attention.shared)
  let answer: () => void = () => undefined
  const one = attention.during(() => new Promise<void>((done) => (answer = done)))
  expect(await attention.during(() => 7)).toBe(7)
  expect(elsewhere.any).toBe(true)
  answer()
  await one
  // The next is mostly asked for soon.
  expect(elsewhere.any).toBe(true)
  await expect.poll(() => elsewhere.any).toBe(false)
  await expect(attention.during(() => Promise.reject(new Error('no')))).rejects.toThrow('no')
  await expect.poll(() => elsewhere.any).toBe(false)
})

it('goes away from what takes long, once', async () => {
  vi.useFakeTimers()
  const attention = new Attention()
  let answer: () => void = () => undefined
  const slow = attention.during(() => new Promise<void>((done) => (answer = done)))
  vi.advanceTimersByTime(3000)
  expect(attention.any).toBe(false)
  vi.useRealTimers()
  answer()
  await slow
  const next = attention.during(() => new Promise<void>((done) => (answer = done)))
  expect(attention.any).toBe(true)
  answer()
  await next
  await expect.poll(() => attention.any).toBe(false)
})
