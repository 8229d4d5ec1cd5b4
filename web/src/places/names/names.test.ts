import { describe, expect, it } from 'vitest'
import { filtered, type Kind, membersEdit, remarks, searchOf } from '@/places/names/names'
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
    const found = (text: string, ...more: [Kind | '', boolean, ReadonlySet<number>?]) =>
      filtered(names, searchOf(text), ...more)
    expect(found('30.2', '', false).map((n) => n.name)).toEqual(['ramp-hmi', 'twin-a', 'twin-b'])
    expect(found('TIME', 'service', false).map((n) => n.name)).toEqual(['ntp'])
    expect(found('', '', true)).toEqual([])
    expect(found('kind:serv time', '', false).map((n) => n.name)).toEqual(['ntp'])
    expect(found('30.2', '', false, new Set())).toEqual([])
    expect(found('used:no', '', false)).toEqual(
      names.filter((n) => !n.uses).sort((a, b) => a.name.localeCompare(b.name)),
    )
  })

  it('asks the server what names stand for and who changed them, and says what it does not understand', () => {
    expect(searchOf('holds:10.44.3.7 in:"the tower" tide').server).toEqual({
      holds: '10.44.3.7',
      within: 'the tower',
    })
    expect(searchOf('tide').server).toBeNull()
    expect(searchOf('from:x').problems[0]).toContain('There is no from:')
    expect(searchOf('used:maybe').problems).toEqual(['used: is yes, no'])
    expect(filtered(names, searchOf('used:maybe'), '', false)).toEqual([])
  })

  it('says what an edit of members comes down to', () => {
    expect(membersEdit(['a', 'b'], ['b', 'c'])).toBe('adds c; removes a')
    expect(membersEdit(['a'], ['a', 'b', 'c'])).toBe('adds b, c')
    expect(membersEdit(['a', 'b'], ['b', 'a'])).toBe('')
  })
})
