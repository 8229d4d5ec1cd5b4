import { describe, expect, it } from 'vitest'
import { piecesOf } from '@/editing/pieces'

describe('pasted pieces', () => {
  it('are parted by lines, tabs, commas and semicolons, and none is lost', () => {
    const six = ['10.44.0.1', '10.44.0.2', '10.44.0.3', '10.44.0.4', '10.44.0.5', '10.44.0.6']
    for (const between of ['\n', '\r\n', ',', ', ', ';', '\t', ' ;\n'])
      expect(piecesOf(six.join(between))).toEqual(six)
  })

  it('keep their blanks, unless blanks part them too', () => {
    expect(piecesOf('front desk, "a, b"')).toEqual(['front desk', 'a, b'])
    expect(piecesOf('10.44.0.1 10.44.0.2', true)).toEqual(['10.44.0.1', '10.44.0.2'])
  })

  it('stand there once', () => {
    expect(piecesOf(' a\na,,a;')).toEqual(['a'])
    expect(piecesOf(' \n,;')).toEqual([])
  })
})
