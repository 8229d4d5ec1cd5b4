/** Keys, each said once: what it does when it is pressed, and how the sheet of keys tells it. */
import { onBeforeUnmount, onMounted, shallowReactive } from 'vue'

export interface Key {
  /** As `nameOf` names them: `n`, `Shift+ArrowDown`, `Ctrl+a`. */
  on: string[]
  /** What it does, for the sheet; nothing for a key that another line tells. */
  says?: string
  /** The keys that the line tells, if they are more than this one. */
  shows?: string[]
  when?: () => boolean
  act: () => unknown
}

export interface Table {
  title: string
  keys: Key[]
}

/** What is listened to now, the innermost last. */
export const tables = shallowReactive<Table[]>([])

/** Ctrl also stands for the command key. Shift is told where it does not make another letter. */
export function nameOf(event: KeyboardEvent): string {
  const named = event.key.length > 1
  return [
    event.ctrlKey || event.metaKey ? 'Ctrl+' : '',
    event.altKey ? 'Alt+' : '',
    event.shiftKey && (named || event.ctrlKey || event.metaKey) ? 'Shift+' : '',
    event.ctrlKey || event.metaKey ? event.key.toLowerCase().replace(/^(.{2,})$/, event.key) : event.key,
  ].join('')
}

const CONTROLS = /^(Enter| |Tab|Backspace|Delete|Home|End|Arrow.*|Page.*)$/

/** Whether what has the focus takes this key by itself: fields and dialogs all but F keys, buttons and links what moves or presses. */
export function taken(event: KeyboardEvent): boolean {
  const at = event.target
  if (!(at instanceof Element)) return false
  if (at.closest('.v-overlay, [role=dialog]')) return true
  if (at.closest('input, textarea, select, [contenteditable]')) return !/^F\d/.test(event.key)
  return CONTROLS.test(event.key) && at.closest('button, a, summary, [role=menu]') !== null
}

export function press(keys: readonly Key[], event: KeyboardEvent): boolean {
  const name = nameOf(event)
  const key = keys.find((k) => k.on.includes(name) && (k.when?.() ?? true))
  if (!key) return false
  event.preventDefault()
  void key.act()
  return true
}

function listen(event: KeyboardEvent): void {
  if (event.defaultPrevented || taken(event)) return
  for (const table of [...tables].reverse()) if (press(table.keys, event)) return
}

/** Keys of a component, for as long as it is there, wherever the focus is. */
export function useKeys(title: string, keys: Key[]): void {
  const table = { title, keys }
  onMounted(() => {
    if (!tables.length) window.addEventListener('keydown', listen)
    tables.push(table)
  })
  onBeforeUnmount(() => {
    tables.splice(tables.indexOf(table), 1)
    if (!tables.length) window.removeEventListener('keydown', listen)
  })
}

const SAYS: Record<string, string> = {
  ArrowUp: '↑',
  ArrowDown: '↓',
  ArrowLeft: '←',
  ArrowRight: '→',
  ' ': 'Space',
  Escape: 'Esc',
}

/** A key as it is written on it. */
export function written(on: string): string {
  const parts = on === '+' ? ['+'] : on.split('+')
  const last = parts.pop()!
  return [...parts, SAYS[last] ?? (parts.length && last.length === 1 ? last.toUpperCase() : last)].join(' ')
}

const FOCUSABLE = 'a[href], button:not([disabled]), input:not([disabled]), textarea, [tabindex="0"]'

/** The next part of the page takes the focus: each is marked `data-pane`, and has one stop or the first thing in it. */
export function nextPane(back = false): void {
  const panes = [...document.querySelectorAll<HTMLElement>('[data-pane]')].filter(
    (p) => p.offsetParent !== null,
  )
  const here = panes.findIndex((p) => p.contains(document.activeElement))
  const step = back ? -1 : 1
  for (let i = 1; i <= panes.length; i++) {
    const pane = panes[(here + step * i + panes.length * 2) % panes.length]!
    const stop =
      pane.querySelector<HTMLElement>('[data-stop][tabindex="0"]') ??
      pane.querySelector<HTMLElement>(FOCUSABLE)
    if (stop) {
      stop.focus()
      return
    }
  }
}
