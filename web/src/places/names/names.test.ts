import { describe, expect, it } from 'vitest'
import { filtered, membersEdit, remarks } from '@/places/names/names'
import { name, names } from '@/examples'

describe('names', () => {
  it('tells what is odd about a name, the worst first', () => {
    expect(remarks(name({ values: ['10.44.1.1'] }))).toEqual([])
    const odd = name({ kind: 'addresses', uses: 0, same: ['b'], nearly: ['c'] })
    expect(remarks(odd).map((r) => r.text)).toEqual(['holds nothing', 'nearly c', 'same as b', 'unused'])
    // A host nobody names in a rule is no oddity.
    expect(remarks(name({ uses: 0, values: ['10.44.1.1'] }))).toEqual([])
  })

  it('finds by name, value and description, by kind and by oddity', () => {
    expect(filtered(names, '30.2', '', false).map((n) => n.name)).toEqual(['ramp-hmi', 'twin-a', 'twin-b'])
    expect(filtered(names, 'TIME', 'service', false).map((n) => n.name)).toEqual(['ntp'])
    expect(filtered(names, '', '', true)).toEqual([])
  })

  it('says what an edit of members comes down to', () => {
    expect(membersEdit(['a', 'b'], ['b', 'c'])).toBe('adds c; removes a')
    expect(membersEdit(['a'], ['a', 'b', 'c'])).toBe('adds b, c')
    expect(membersEdit(['a', 'b'], ['b', 'a'])).toBe('')
  })
})
