/** The list of names: what to look at, and what an edit of members comes down to. */
import { counted } from '@/words'
import type { NameOut } from '@/api/client'

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

/** Names that fit a text: in the name, the members, the values or the description. */
export function filtered(names: readonly NameOut[], text: string, kind: Kind | '', odd: boolean): NameOut[] {
  const word = text.trim().toLowerCase()
  return names
    .filter((n) => !kind || n.kind === kind)
    .filter((n) => !odd || remarks(n).length > 0)
    .filter((n) =>
      [n.name, ...n.members, ...n.values, n.description].some((part) => part.toLowerCase().includes(word)),
    )
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
