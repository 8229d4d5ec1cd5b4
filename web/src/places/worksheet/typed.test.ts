import { beforeEach, expect, test } from 'vitest'
import type { Entry } from '@/api/worksheets'
import { columnsOf, keepColumns, keepTyped, keyOf, typedOf } from '@/places/worksheet/typed'

const entry: Entry = {
  position: 3,
  name: 'panels',
  action: 'allow',
  words: 'allow panels → any : https',
  besides: ['logged'],
  change: '',
  lines: [{ source: '10.44.34.17', destination: '0.0.0.0/0', service: 'tcp/443' }],
}

beforeEach(() => {
  const kept = new Map<string, string>()
  Object.defineProperty(globalThis, 'localStorage', {
    configurable: true,
    value: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
    },
  })
})

test('an entry is what it says, wherever it stands and whatever it is called', () => {
  expect(keyOf('list', { ...entry, position: 9, name: 'other', words: '' })).toBe(keyOf('list', entry))
  for (const other of [
    { ...entry, action: 'drop' as const },
    { ...entry, besides: [] },
    { ...entry, lines: [{ ...entry.lines[0]!, service: 'tcp/444' }] },
  ])
    expect(keyOf('list', other)).not.toBe(keyOf('list', entry))
  expect(keyOf('another', entry)).not.toBe(keyOf('list', entry))
})

test('what was typed and corrected is there again, and nothing strange that is kept breaks it', () => {
  keepTyped(1, 2, new Set(['a']))
  keepColumns(1, 5, ['action', 'source', 'destination'])
  expect(typedOf(1, 2)).toEqual(new Set(['a']))
  expect(typedOf(1, 3).size).toBe(0)
  expect(columnsOf(1, 5, 3)).toEqual(['action', 'source', 'destination'])
  expect(columnsOf(1, 5, 4)).toBeNull()
  localStorage.setItem('sarvex typed 1 2', '{"no": "list"}')
  localStorage.setItem('sarvex columns 1 5 3', 'broken')
  expect(typedOf(1, 2).size).toBe(0)
  expect(columnsOf(1, 5, 3)).toBeNull()
})
