/** The lines of a rule list: sections as headers between the rules, folded ones without theirs. */
import type { RuleRow, Shapes } from '@/api/client'

export type Section = Shapes['SectionOut']
type Listed = { kind: 'rule'; row: RuleRow } | { kind: 'section'; section: Section; count: number }
/** The last line is the default's. */
export type Line = Listed | { kind: 'otherwise' }

export function linesOf(
  rows: readonly RuleRow[],
  sections: readonly Section[],
  folded: ReadonlySet<number>,
): Listed[] {
  const lines: Listed[] = []
  let hidden = false
  const heads = (position: number) => {
    sections.forEach((section, i) => {
      if (section.begins !== position) return
      const next = sections[i + 1]?.begins ?? rows.length + 1
      lines.push({ kind: 'section', section, count: next - section.begins })
      hidden = folded.has(section.id)
    })
  }
  for (const row of rows) {
    heads(row.position)
    if (!hidden) lines.push({ kind: 'rule', row })
  }
  heads(rows.length + 1)
  return lines
}

/** The section a position is in, if it is in one. */
export function sectionAt(sections: readonly Section[], position: number): Section | null {
  return sections.findLast((section) => section.begins <= position) ?? null
}

/** The gap (0 … rows) before or after a line; a header stands for the first place of its section. */
export function gapAtLine(line: Line | undefined, below: boolean, rows: number): number {
  if (!line || line.kind === 'otherwise') return rows
  if (line.kind === 'section') return line.section.begins - 1
  return line.row.position - (below ? 0 : 1)
}

/** A rule for the other way: its ends, with what is negated of them, change sides. */
export function swapped<T extends { source: string[]; destination: string[]; negate?: string[] }>(
  rule: T,
): T {
  const other: Record<string, string> = { source: 'destination', destination: 'source' }
  return {
    ...rule,
    source: rule.destination,
    destination: rule.source,
    negate: (rule.negate ?? []).map((field) => other[field] ?? field),
  }
}
