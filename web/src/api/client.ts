/** The typed API client. Every refusal becomes a `Problem` (RFC 9457) that says what, where and how to mend it. */
import createClient, { type Middleware } from 'openapi-fetch'
import { answered, unanswered } from '@/api/reach'
import type { components, paths } from '@/api/schema'

export type Shapes = components['schemas']
export type Me = Shapes['Me']
export type Schedule = Shapes['Schedule']
export type ScheduleLine = Shapes['ScheduleLine']
export type Rule = Shapes['Rule']
export type RuleRow = Shapes['RuleRow']
export type Decided = Shapes['Decided']
export type PolicyOut = Shapes['PolicyOut']
export type PolicyLine = Shapes['PolicyLine']
export type NetworkOut = Shapes['NetworkOut']
export type NameOut = Shapes['NameOut']
export type AnswerOut = Shapes['AnswerOut']
export type PartOut = Shapes['PartOut']
export type Consequence = Shapes['ConsequenceOut']
export type Suggestion = Shapes['SuggestionOut']
/** An edit of a policy that is not made yet; its rules are told by id. */
export type Edit = Shapes['AskEffect']['edit']
export type PlaceIn = Shapes['Place']
export type Finding = Shapes['FindingOut']
export type GroundOut = Shapes['GroundOut']
export type NameDetail = Shapes['NameDetail']
export type PlacedFinding = Shapes['PlacedFinding']
export type KnownService = Shapes['KnownService']
export type HistoryEntry = Shapes['HistoryEntry']
export type ProblemOut = Shapes['ProblemOut']

export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly problems: ProblemOut[] = [],
    readonly start?: number,
    readonly end?: number,
    readonly kind?: string,
  ) {
    super(detail)
  }
}

let csrf = ''
export function setCsrf(token: string): void {
  csrf = token
}

/** Have the password given once more; whether it was. */
let onProof: () => Promise<boolean> = () => Promise.resolve(false)
export function whenProofIsNeeded(ask: () => Promise<boolean>): void {
  onProof = ask
}
/** Copies of what was sent, for it to be sent again once the password was given. */
const sent = new WeakMap<Request, Request>()

let onSignedOut: () => void = () => undefined
export function whenSignedOut(act: () => void): void {
  onSignedOut = act
}

// What a page asks by itself while nobody touches it does not keep a session open.
const UNTOUCHED_MS = 60_000
let touched = Date.now()
for (const sign of ['pointerdown', 'pointermove', 'keydown', 'wheel'])
  globalThis.addEventListener?.(sign, () => (touched = Date.now()), { capture: true, passive: true })

const guard: Middleware = {
  onRequest({ request }) {
    if (Date.now() - touched > UNTOUCHED_MS) request.headers.set('X-Sarvex-Idle', '1')
    if (request.method !== 'GET') {
      request.headers.set('X-Sarvex-Token', csrf)
      sent.set(request, request.clone())
    }
    return request
  },
  async onResponse({ response, request }) {
    answered()
    if (response.ok) return
    const body = await response
      .clone()
      .json()
      .catch(() => ({}))
    const again = sent.get(request)
    if (response.status === 403 && body.kind === 'proof' && again && (await onProof())) {
      again.headers.set('X-Sarvex-Token', csrf)
      const answer = await fetch(again).catch(() => {
        unanswered()
        throw new Problem(
          0,
          'The server cannot be reached. What is written here stays; save it again when it is back.',
        )
      })
      if (answer.ok) return answer
      const told = await answer.json().catch(() => ({}))
      throw new Problem(
        answer.status,
        told.detail ?? '',
        told.problems ?? [],
        undefined,
        undefined,
        told.kind,
      )
    }
    // Signing in and asking who is signed in are allowed to fail; anything else means the session ended.
    if (response.status === 401 && !new URL(request.url).pathname.endsWith('/api/session')) onSignedOut()
    throw new Problem(
      response.status,
      body.detail ?? `The server answered ${response.status}.`,
      body.problems ?? [],
      body.start,
      body.end,
      body.kind,
    )
  },
  onError({ error }) {
    if (error instanceof DOMException && error.name === 'AbortError') return
    if (error instanceof Problem) return
    unanswered()
    return new Problem(
      0,
      'The server cannot be reached. What is written here stays; save it again when it is back.',
    )
  },
}

export const api = createClient<paths>({ baseUrl: '' })
api.use(guard)

/** The data of a call that the middleware has let through. */
export async function data<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T
}
