/** What must hold, in words and lines. */
import type { ExpectationOut, Verdict } from '@/api/expectations'
import type { Course } from '@/chart/courses'

const WORDS: Record<Verdict, string> = {
  kept: 'holds',
  broken: 'does not hold',
  undetermined: 'cannot be told',
  empty: 'says nothing',
  ended: 'has ended',
  'other time': 'at another time',
}

export const wordOf = (verdict: Verdict) => WORDS[verdict]

/** What happens to the packets it speaks of: what must not be and is passes like what must be and is. */
export function courseOf(verdict: Verdict, must: 'allowed' | 'blocked'): Course {
  if (verdict === 'undetermined' || verdict === 'empty') return 'undecided'
  return (must === 'allowed') === (verdict !== 'broken') ? 'allow' : 'drop'
}

/** Whether somebody has to do something about it. */
export const isBad = (verdict: Verdict) => ['broken', 'undetermined', 'empty'].includes(verdict)

/** Those that do not hold first, then what nobody knows, then the rest; each in its order. */
export function inOrder(listed: readonly ExpectationOut[]): ExpectationOut[] {
  const rank = (e: ExpectationOut) =>
    ({ broken: 0, empty: 0, undetermined: 1, kept: 2, 'other time': 3, ended: 3 })[e.verdict]
  return listed
    .map((e, i) => ({ e, i }))
    .sort((a, b) => rank(a.e) - rank(b.e) || a.i - b.i)
    .map(({ e }) => e)
}

/** Of those that have not ended: how many there are, do not hold, and cannot be told. */
export function tally(listed: readonly Pick<ExpectationOut, 'verdict'>[]) {
  const counted = (...of: Verdict[]) => listed.filter((e) => of.includes(e.verdict)).length
  return {
    counting: listed.length - counted('ended'),
    broken: counted('broken', 'empty'),
    unknown: counted('undetermined'),
  }
}

/** How many hold, in a sentence. */
export function standing(listed: readonly Pick<ExpectationOut, 'verdict'>[]): string {
  const { counting, broken, unknown } = tally(listed)
  if (!listed.length) return 'nothing is written yet'
  const told = [
    broken && `${broken} of ${counting} ${broken === 1 ? 'does' : 'do'} not hold`,
    unknown && `${unknown} cannot be told`,
  ].filter(Boolean)
  return told.length ? told.join(', ') : `all ${counting} hold`
}
