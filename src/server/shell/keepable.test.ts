import { describe, expect, it } from 'vitest'
import { unkeepableIn } from './keepable'

describe('what no database keeps', () => {
  it('is found wherever it is in a body: in texts, lists, names', () => {
    expect(unkeepableIn({ name: 'ole', list: [{ text: 'ü𝄞' }] })).toBeNull()
    expect(unkeepableIn({ name: 'ole', list: [1, { text: 'a\0' }] })).toBe('list.1.text')
    expect(unkeepableIn({ deep: { 'a\ud800': 1 } })).toBe('deep')
  })

  it('is not looked for in bytes, one by one: of many millions that would take a minute', () => {
    const bytes = Object.assign(new Uint8Array(2), { looked: 'a\0' })
    expect(unkeepableIn(bytes)).toBeNull()
    expect(unkeepableIn({ bytes })).toBeNull()
  })
})
