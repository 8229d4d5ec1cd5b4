/** The rows of policies as they are here: the server tells what became of them since, and not ten thousand rows for one edit. */
import type { PolicyOut, RuleRow } from '@/api/client'

/** Versions of a policy that a change may be told to. */
const KEPT = 3
const here = new Map<number, PolicyOut[]>()

/** The newest version that is here, for the server to tell what changed since. */
export function knows(policy: number): Record<string, string> {
  const newest = here.get(policy)?.at(-1)
  return newest ? { 'Sarvex-Known': newest.version } : {}
}

/** A policy with all its rows; null if what it was told against is not here any more. */
export function whole(told: PolicyOut): PolicyOut | null {
  const versions = here.get(told.id) ?? []
  const made =
    told.known === null
      ? told
      : added(
          versions.find((p) => p.version === told.known),
          told,
        )
  if (made) here.set(told.id, [...versions.filter((p) => p.version !== made.version), made].slice(-KEPT))
  return made
}

function added(before: PolicyOut | undefined, told: PolicyOut): PolicyOut | null {
  if (!before) return null
  const rows: RuleRow[] = []
  let next = 0
  for (const run of told.runs) {
    const fresh = run.first < 0
    const from = fresh ? told.rows : before.rows
    const first = fresh ? next : run.first
    for (let i = first; i < first + run.length; i++) {
      const row = from[i]!
      const position = rows.length + 1
      // A row that stays what it is stays the same object: what is drawn of it is not drawn anew.
      rows.push(row.position === position ? row : { ...row, position })
    }
    if (fresh) next += run.length
  }
  return { ...told, known: null, runs: [], rows }
}
