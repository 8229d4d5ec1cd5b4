/** The list of names: what to look at, and what an edit of members comes down to. */
import { counted } from '@/words'
import type { NameOut } from '@/api/client'
import { askedOf, read, type Sought, strangeOf } from '@/ui/searchLine'

/** The kinds that are edited here; devices and users are names too, and are edited with the ground. */
export type Kind = 'host' | 'segment' | 'addresses' | 'service'
type Own = NameOut & { kind: Kind }

export const isOwn = (name: NameOut): name is Own => name.kind !== 'device' && name.kind !== 'user'

export interface Remark {
  text: string
  weight: 'warning' | 'note'
}

/** What is odd about a name, the worst first. */
export function remarks(name: NameOut): Remark[] {
  const found: Remark[] = []
  if (!name.values.length) found.push({ text: 'holds nothing', weight: 'warning' })
  if (name.nearly.length) found.push({ text: `nearly ${name.nearly.join(', ')}`, weight: 'warning' })
  if (name.same.length) found.push({ text: `same as ${name.same.join(', ')}`, weight: 'note' })
  if (!name.uses && (name.kind === 'addresses' || name.kind === 'service'))
    found.push({ text: 'unused', weight: 'note' })
  return found
}

export const KEYS = ['holds', 'in', 'kind', 'used', 'changed', 'by'] as const
/** What the server knows: what names stand for, exactly, and who changed what. */
const ASKED = { holds: 'holds', in: 'within', changed: 'changed', by: 'by' } as const
const CHOICES: Partial<Record<(typeof KEYS)[number], readonly string[]>> = {
  kind: ['addresses', 'service', 'host', 'segment'],
  used: ['yes', 'no'],
}

export interface Search extends Sought<(typeof KEYS)[number]> {
  /** Of it what the server is asked; nothing if it need not be. */
  server: Partial<Record<(typeof ASKED)[keyof typeof ASKED], string>> | null
}

/** A line typed into the finder, as it is meant. */
export function searchOf(text: string): Search {
  const found = read(text, KEYS)
  found.problems.push(...strangeOf(found, CHOICES))
  return { ...found, server: askedOf(found, ASKED) }
}

/** Names that fit a search: every word in the name, the members, the values or the description; `ids`: those that the server found. */
export function filtered(
  names: readonly NameOut[],
  { words, asked, problems }: Pick<Search, 'words' | 'asked' | 'problems'>,
  kind: Kind | '',
  odd: boolean,
  ids: ReadonlySet<number> | null = null,
): NameOut[] {
  if (problems.length) return []
  const sought = words.toLowerCase().split(/\s+/).filter(Boolean)
  const wanted = [asked.kind?.toLowerCase() ?? '', asked.used?.toLowerCase() ?? ''] as const
  return names
    .filter((n) => !kind || n.kind === kind)
    .filter((n) => n.kind.startsWith(wanted[0]) && (n.uses ? 'yes' : 'no').startsWith(wanted[1]))
    .filter((n) => !odd || remarks(n).length > 0)
    .filter((n) => ids === null || ids.has(n.id))
    .filter((n) => {
      const text = [n.name, ...n.members, ...n.values, n.description].join(' ').toLowerCase()
      return sought.every((word) => text.includes(word))
    })
    .sort((a, b) => a.name.localeCompare(b.name))
}

/** An edit of members in words: what comes, what goes; empty if nothing does. */
export function membersEdit(before: readonly string[], after: readonly string[]): string {
  const came = after.filter((m) => !before.includes(m))
  const went = before.filter((m) => !after.includes(m))
  return [came.length ? `adds ${came.join(', ')}` : '', went.length ? `removes ${went.join(', ')}` : '']
    .filter(Boolean)
    .join('; ')
}

/** `3 uses`; nothing for none. */
export const usesOf = (uses: number) => (uses ? counted(uses, 'use') : '')
