/** A question that must be answered before something is done: one at a time, answered by `ui/AskSheet`. */
import { type MaybeRefOrGetter, shallowRef } from 'vue'

export interface Question {
  title: string
  /** In lines; what is not known yet when it is asked comes in. */
  text?: MaybeRefOrGetter<string | readonly string[]>
  /** What is done, as the button says it. */
  yes: string
  no: string
}

interface Asked extends Question {
  answer: (yes: boolean) => void
}

export const asked = shallowRef<Asked | null>(null)

/** Whoever asks while a question stands takes it over: the older one is answered with no. */
export function sure(question: Question): Promise<boolean> {
  asked.value?.answer(false)
  return new Promise((resolve) => {
    const mine: Asked = {
      ...question,
      answer: (yes) => {
        if (asked.value === mine) asked.value = null
        resolve(yes)
      },
    }
    // Not within the key press that asks: an Esc would go on to the question and answer it.
    setTimeout(() => (asked.value = mine))
  })
}
