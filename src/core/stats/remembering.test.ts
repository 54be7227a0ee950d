import { describe, expect, it } from 'vitest'
import { remembering } from './remembering'

describe('remembered answers', () => {
  it('are worked out once, also where there is none, until there are too many', () => {
    const asked: string[] = []
    const length = remembering(2, (text) => {
      asked.push(text)
      return text === '' ? undefined : text.length
    })
    expect(['ab', 'ab', '', '', 'abc', 'abc', 'ab'].map(length)).toEqual([2, 2, undefined, undefined, 3, 3, 2])
    expect(asked).toEqual(['ab', '', 'abc', 'ab'])
  })
})
