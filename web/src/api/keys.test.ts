import { describe, expect, it } from 'vitest'
import { heard, keyOf } from '@/api/keys'

describe('request keys', () => {
  it('stay until the request is answered', () => {
    const first = keyOf('add', { rule: 'r' })
    expect(first).toMatch(/^[\da-f]{32}$/)
    expect(keyOf('add', { rule: 'r' })).toBe(first)
    heard({ rule: 'r' })
    expect(keyOf('add', { rule: 'r' })).not.toBe(first)
  })

  it('are of one kind of request with one content', () => {
    const key = keyOf('move', { id: 1 })
    expect(keyOf('move', { id: 2 })).not.toBe(key)
    expect(keyOf('remove', { id: 1 })).not.toBe(key)
    heard({ id: 2 })
    expect(keyOf('move', { id: 1 })).toBe(key)
  })
})
