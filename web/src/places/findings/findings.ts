/** The list of findings: which kinds there are, and a choice of them. */
import type { PlacedFinding } from '@/api/client'

export type Weight = PlacedFinding['weight']

/** Kinds with their counts, in the order in which they first occur: the heaviest first. */
export function kindsOf(findings: readonly PlacedFinding[]): [string, number][] {
  const counts = new Map<string, number>()
  for (const f of findings) counts.set(f.kind, (counts.get(f.kind) ?? 0) + 1)
  return [...counts]
}

export function sifted(
  findings: readonly PlacedFinding[],
  kind: string,
  weight: Weight | '',
): PlacedFinding[] {
  return findings.filter((f) => (!kind || f.kind === kind) && (!weight || f.weight === weight))
}
