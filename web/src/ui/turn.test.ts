import { describe, expect, it } from 'vitest'
import { inTurn } from '@/ui/turn'

describe('edits in turn', () => {
  it('begin when the one before is answered, also if that was refused', async () => {
    const told: string[] = []
    const act = (name: string, ms: number, fails = false) =>
      inTurn(async () => {
        told.push(`${name} begins`)
        await new Promise((resolve) => setTimeout(resolve, ms))
        told.push(`${name} ends`)
        if (fails) throw new Error(name)
        return name
      })
    const all = await Promise.allSettled([act('a', 20), act('b', 5, true), act('c', 0)])
    expect(told).toEqual(['a begins', 'a ends', 'b begins', 'b ends', 'c begins', 'c ends'])
    expect(all.map((one) => one.status)).toEqual(['fulfilled', 'rejected', 'fulfilled'])
  })
})
