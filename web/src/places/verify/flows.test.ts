import { describe, expect, it } from 'vitest'
import { courseOfVerdict } from '@/chart/courses'
import { siftFlows } from '@/places/verify/flows'

describe('decided flows', () => {
  const rows = [
    ['10.44.0.1', '443', 'allow', 'desk', 'ramp'],
    ['10.44.0.2', '22', 'drop', 'default', 'ramp'],
    ['nowhere', '', 'error', "src: 'nowhere' is not an IP address", 'ramp'],
    ['else', '', 'error', "src: 'else' is not an IP address", 'ramp'],
  ]
  it('are sifted by who decided and by words in any cell', () => {
    expect(siftFlows(rows, 2, null, '')).toHaveLength(4)
    expect(siftFlows(rows, 2, 'drop\tdefault\tramp', '')).toEqual([rows[1]])
    expect(siftFlows(rows, 2, 'error\terror\t', '')).toHaveLength(2)
    expect(siftFlows(rows, 2, null, ' 10.44.0.1 ')).toEqual([rows[0]])
    expect(siftFlows(rows, 2, 'error\terror\t', 'ELSE')).toEqual([rows[3]])
  })
  it('have a line each, open where there is no verdict', () => {
    expect(['allow', 'drop', 'reject', 'continue', 'error'].map(courseOfVerdict)).toEqual([
      'allow',
      'drop',
      'reject',
      'undecided',
      'undecided',
    ])
    expect(['allowed', 'blocked', 'some', 'undetermined'].map(courseOfVerdict)).toEqual([
      'allow',
      'drop',
      'undecided',
      'undecided',
    ])
  })
})
