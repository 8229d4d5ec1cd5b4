import { describe, expect, it, vi } from 'vitest'
import { type Key, nameOf, press, written } from '@/ui/keys'

const pressed = (key: string, more: Partial<KeyboardEvent> = {}) =>
  ({
    key,
    ctrlKey: false,
    metaKey: false,
    altKey: false,
    shiftKey: false,
    preventDefault: vi.fn(),
    ...more,
  }) as KeyboardEvent

describe('keys', () => {
  it('have one name, whatever keyboard they are on', () => {
    expect(nameOf(pressed('n'))).toBe('n')
    expect(nameOf(pressed('N', { shiftKey: true }))).toBe('N')
    expect(nameOf(pressed('?', { shiftKey: true }))).toBe('?')
    expect(nameOf(pressed('ArrowUp', { altKey: true }))).toBe('Alt+ArrowUp')
    expect(nameOf(pressed('ArrowUp', { shiftKey: true }))).toBe('Shift+ArrowUp')
    expect(nameOf(pressed('Z', { ctrlKey: true, shiftKey: true }))).toBe('Ctrl+Shift+z')
    expect(nameOf(pressed('a', { metaKey: true }))).toBe('Ctrl+a')
    expect(nameOf(pressed('F6', { shiftKey: true }))).toBe('Shift+F6')
    expect(nameOf(pressed('Home', { ctrlKey: true }))).toBe('Ctrl+Home')
  })

  it('do the first thing that may be done', () => {
    const first = vi.fn()
    const second = vi.fn()
    let several = true
    const keys: Key[] = [
      { on: ['x'], when: () => several, act: first },
      { on: ['x'], act: second },
      { on: ['y'], when: () => false, act: first },
    ]
    const event = pressed('x')
    expect(press(keys, event)).toBe(true)
    expect(event.preventDefault).toHaveBeenCalledOnce()
    several = false
    press(keys, pressed('x'))
    expect([first.mock.calls.length, second.mock.calls.length]).toEqual([1, 1])
    const left = pressed('y')
    expect(press(keys, left)).toBe(false)
    expect(left.preventDefault).not.toHaveBeenCalled()
    expect(press(keys, pressed('x', { ctrlKey: true }))).toBe(false)
  })

  it('are told as they are written on the keyboard', () => {
    expect(['n', 'N', 'Ctrl+Shift+z', 'Alt+ArrowUp', ' ', '?'].map(written)).toEqual([
      'n',
      'N',
      'Ctrl Shift Z',
      'Alt ↑',
      'Space',
      '?',
    ])
  })
})
