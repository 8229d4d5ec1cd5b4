/** Esc closes what is on top: an open list of choices first, the form around it only when there is none. */
let listOpen = false

// Looked at before anybody else hears of the key: by the time a form does, its list has closed.
window.addEventListener(
  'keydown',
  (event) => {
    if (event.key !== 'Escape') return
    const field = (event.target as HTMLElement).closest('.v-input')
    listOpen = field?.querySelector('[aria-expanded="true"]') != null
  },
  true,
)

/** Whether an Esc that is being heard of closed a list. */
export function closesList(event: KeyboardEvent): boolean {
  return event.key === 'Escape' && listOpen
}
