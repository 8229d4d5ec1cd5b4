import { describe, expect, it } from 'vitest'
import { read } from '@/ui/searchLine'

describe('a line to look for things with', () => {
  const keys = ['from', 'on'] as const
  it('parts keys from words, quoted or not, in any case', () => {
    expect(read('FROM:kiosks last on:"any of these" word', keys)).toEqual({
      words: 'last word',
      asked: { from: 'kiosks', on: 'any of these' },
      problems: [],
    })
  })
  it('leaves addresses with colons, and what is still being typed', () => {
    expect(read('fd44:1::7 abc::1 from:', keys)).toEqual({
      words: 'fd44:1::7 abc::1',
      asked: {},
      problems: [],
    })
    expect(read('from:fd44:1::7', keys).asked).toEqual({ from: 'fd44:1::7' })
  })
  it('passes over nothing that it does not understand', () => {
    expect(read('form:kiosks from:a from:b', keys).problems).toEqual([
      'There is no form: but from:, on:',
      'from: stands twice',
    ])
  })
})
