/** The try-it sheet as lines: each packet once, with what was seen of it. */
import type { Seen, Sheet, Trial } from '@/api/trials'

export interface Line {
  number: number
  about: string
  trial: Trial
  seen: Seen | null
  /** Whether it was seen before what is in force now came into force. */
  before: boolean
}
export interface Group {
  name: string
  sentence: string
  must: 'allowed' | 'blocked'
  lines: Line[]
  more: number
  why: string
}

export function groupsOf(sheet: Sheet): Group[] {
  const seen = new Map(sheet.seen.map((s) => [s.packet, s]))
  let number = 0
  return sheet.expectations.map((e) => ({
    name: e.name,
    sentence: e.sentence.slice(e.name.length + 2),
    must: e.must,
    more: e.more,
    why: e.why,
    lines: e.trials.map((trial) => {
      const last = seen.get(trial.packet) ?? null
      number += 1
      return { number, about: e.name, trial, seen: last, before: last?.edition !== sheet.in_force }
    }),
  }))
}

/** What somebody saw before and is not on the sheet any more. */
export function others(sheet: Sheet): Seen[] {
  const there = new Set(sheet.expectations.flatMap((e) => e.trials.map((t) => t.packet)))
  return sheet.seen.filter((s) => !there.has(s.packet))
}

/** Whether what was seen is not what is told now. */
export const isOtherwise = ({ seen, trial }: Line) =>
  seen !== null && trial.works !== null && seen.worked !== trial.works

/** How far it is, in a sentence. */
export function progress(groups: readonly Group[]): string {
  const lines = groups.flatMap((g) => g.lines)
  const tried = lines.filter((l) => l.seen).length
  const otherwise = lines.filter(isOtherwise).length
  if (!lines.length) return 'nothing to try'
  return `${tried} of ${lines.length} tried${otherwise ? `, ${otherwise} otherwise than told` : ''}`
}

/** What must be seen, first whether it must answer. */
export function mustBe(must: 'allowed' | 'blocked', trial: Pick<Trial, 'as_it_must' | 'works'>): string {
  const words = must === 'allowed' ? 'must answer' : 'must not answer'
  if (trial.as_it_must === null) return `${words}; nobody knows whether it will`
  return trial.as_it_must ? '' : `${words}, and ${trial.works ? 'will' : 'will not'}`
}
