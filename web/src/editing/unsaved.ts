/** What is written and not saved yet: asked about before it is left, and kept through a reload of the page. */
import { onBeforeUnmount, reactive, ref, watch } from 'vue'
import { useSession } from '@/api/session'
import { sure } from '@/ui/asking'

interface Writing {
  dirty: () => boolean
  givenUp: boolean
  forget: () => void
}
const open = new Set<Writing>()
const LEAVE = {
  title: 'What you have written is not saved.',
  text: 'It is lost if you leave it.',
  yes: 'Discard it',
  no: 'Go on writing',
}

const storeKey = (login: string, place: string) => `sarvex unsaved ${login} ${place}`

/** Whether anything is written that would be lost. */
export function unsaved(): boolean {
  return [...open].some((w) => !w.givenUp && w.dirty())
}

/** Ask, if there is anything to lose; whoever says yes is not asked again about the same. */
export async function mayLeave(): Promise<boolean> {
  if (!unsaved()) return true
  if (!(await sure(LEAVE))) return false
  giveUp()
  return true
}

/** What is written now is not wanted any more. */
export function giveUp(): void {
  for (const writing of open) {
    writing.givenUp = true
    writing.forget()
  }
}

/** Reloads and closed windows are asked about by the browser. */
export function guardWindow(): void {
  window.addEventListener('beforeunload', (event) => {
    if (unsaved()) event.preventDefault()
  })
}

/** What was written at a place when the page was last loaded. Read once; it is kept on by whoever goes on writing. */
export function leftAt<T>(place: string): T | null {
  try {
    return JSON.parse(
      sessionStorage.getItem(storeKey(useSession().me?.login ?? '', place)) ?? 'null',
    ) as T | null
  } catch {
    return null
  }
}

/** Whether something was left at a place that begins so; the rest of its name. */
export function leftUnder(beginning: string): string | null {
  const start = storeKey(useSession().me?.login ?? '', beginning)
  const key = Object.keys(sessionStorage).find((k) => k.startsWith(start))
  return key?.slice(start.length) ?? null
}

/** Keep what is written at a place, as long as there is something: the text as JSON, or null. */
function keep(place: () => string, text: () => string | null): () => void {
  const session = useSession()
  let stored = ''
  const forget = () => {
    if (stored) sessionStorage.removeItem(stored)
    stored = ''
  }
  watch(
    text,
    (now) => {
      if (now === null) return forget()
      const at = storeKey(session.me?.login ?? '', place())
      if (at !== stored) forget()
      stored = at
      try {
        sessionStorage.setItem(at, now)
      } catch {
        // The store is full or forbidden: it is asked about before it is left, which is all that can be done.
      }
    },
    { immediate: true },
  )
  return forget
}

/** Watch over something that is being written at a place, as long as its form is there. */
export function useUnsaved(place: () => string, dirty: () => boolean, read: () => unknown): void {
  const writing: Writing = reactive({ dirty, givenUp: false, forget: () => undefined })
  writing.forget = keep(place, () => (dirty() && !writing.givenUp ? JSON.stringify(read()) : null))
  open.add(writing)
  watch(dirty, (is) => is || (writing.givenUp = false))
  onBeforeUnmount(() => {
    open.delete(writing)
    writing.forget()
  })
}

/** Something that is written in one field, asked about before it is left and kept through a reload. */
export function useKeptText(place: string) {
  const text = ref(leftAt<string>(place) ?? '')
  useUnsaved(
    () => place,
    () => text.value.trim() !== '',
    () => text.value,
  )
  return text
}

/** The same for what one may leave and come back to: it is there again, and nobody is asked. */
export function useNoteAt(place: string) {
  const text = ref(leftAt<string>(place) ?? '')
  keep(
    () => place,
    () => (text.value.trim() ? JSON.stringify(text.value) : null),
  )
  return text
}
