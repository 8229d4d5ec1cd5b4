/** Edits by keys come quicker than their answers: each begins when the one before has been answered and shown, so that it is
 * about what one sees then, and nobody is told of a change that was their own. */
let last: Promise<unknown> = Promise.resolve()

/** What was answered has reached the page by the next task. */
const shown = () => new Promise((resolve) => setTimeout(resolve))

export function inTurn<T>(act: () => Promise<T>): Promise<T> {
  const mine = last.then(act)
  last = mine.then(shown, shown)
  return mine
}
