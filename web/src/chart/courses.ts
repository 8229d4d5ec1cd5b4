/** The line code: how an outcome is drawn, in rows, answers and small glyphs alike. */
import type { AnswerOut, PartOut, Shapes } from '@/api/client'

export type Course = 'allow' | 'drop' | 'reject' | 'unanswered' | 'undecided'

export const COURSE_OF_RESULT: Record<PartOut['result'], Course> = {
  delivered: 'allow',
  dropped: 'drop',
  rejected: 'reject',
  unanswered: 'unanswered',
  'no route': 'drop',
  loop: 'drop',
  undetermined: 'undecided',
}

/** The courses of an answer, each once, passing ones first: one line each is drawn beside its sentence. */
export function coursesOf(answer: AnswerOut): Course[] {
  const order: Course[] = ['allow', 'drop', 'reject', 'unanswered', 'undecided']
  const present = new Set(answer.parts.map((part) => COURSE_OF_RESULT[part.result]))
  return order.filter((course) => present.has(course))
}

/** A default as a line; `continue` leaves the packet open, so its line is broken. */
export function courseOfDefault(action: Shapes['PolicyLine']['default']): Course {
  return action === 'continue' ? 'undecided' : action
}

/** The verdict of a flow, in one policy or through the network, as a line; what is no flow, goes on or is not known is open. */
export function courseOfVerdict(verdict: string): Course {
  if (verdict === 'allowed' || verdict === 'blocked') return courseOfAnswer(verdict)
  return verdict === 'allow' || verdict === 'drop' || verdict === 'reject' ? verdict : 'undecided'
}

/** A whole answer as one line; what is only partly so, or not known, is broken. */
export function courseOfAnswer(verdict: AnswerOut['verdict'] | null): Course {
  return verdict === 'allowed' ? 'allow' : verdict === 'blocked' ? 'drop' : 'undecided'
}

/** What a step did, in words. */
export const ACTS = { allow: 'let through', drop: 'dropped', reject: 'rejected' }

/** Who decided at a step: a rule by its place and name, or a default. */
export function deciderOf(step: Shapes['StepOut']): string {
  if (step.rule) return `${step.position} ${step.rule}`
  return step.policy ? 'otherwise' : 'the default'
}

/** The services of a part, those that are not told counted. */
export function servicesOf(part: PartOut): string {
  return part.services.join(', ') + (part.more_services ? ` and ${part.more_services} more` : '')
}
