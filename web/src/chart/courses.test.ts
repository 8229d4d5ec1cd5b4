import { describe, expect, it } from 'vitest'
import { type AnswerOut } from '@/api/client'
import { courseOfDefault, coursesOf } from '@/chart/courses'

describe('the line code', () => {
  it('draws each fate once, passing ones first', () => {
    const parts = ['dropped', 'delivered', 'dropped', 'rejected'].map((result) => ({ result }))
    expect(coursesOf({ parts } as AnswerOut)).toEqual(['allow', 'drop', 'reject'])
    expect(courseOfDefault('continue')).toBe('undecided')
    expect(courseOfDefault('reject')).toBe('reject')
  })
})
