/** One line to look for things with: words, and `key:value` for what they are about. */

export interface Sought<Key extends string> {
  /** What is no key, as it was typed. */
  words: string
  asked: Partial<Record<Key, string>>
  /** What is not understood: nothing of it is passed over. */
  problems: string[]
}

/** What of a line the server is asked, by the names that it gives the keys; nothing if it need not be. */
export function askedOf<Key extends string, Name extends string>(
  { asked }: Pick<Sought<Key>, 'asked'>,
  names: Readonly<Partial<Record<Key, Name>>>,
): Partial<Record<Name, string>> | null {
  const found = Object.entries<Name | undefined>(names).flatMap(([key, name]) => {
    const value = asked[key as Key]
    return value ? [[name, value]] : []
  })
  return found.length ? Object.fromEntries(found) : null
}

/** What stands behind a key and is none of its choices, in words. */
export function strangeOf<Key extends string>(
  { asked }: Pick<Sought<Key>, 'asked'>,
  choices: Readonly<Partial<Record<Key, readonly string[]>>>,
): string[] {
  return Object.entries<readonly string[] | undefined>(choices).flatMap(([key, some]) => {
    const value = asked[key as Key]?.toLowerCase()
    return value !== undefined && !some!.some((c) => c.startsWith(value))
      ? [`${key}: is ${some!.join(', ')}`]
      : []
  })
}

/** What is not understood of a line: here, or by the server, if it was asked. */
export function misreadOf(
  search: { problems: readonly string[]; server: object | null },
  refused: { problems: readonly { message: string }[]; detail: string } | null,
): string[] {
  if (!search.server || !refused) return [...search.problems]
  const told = refused.problems.map((p) => p.message)
  return [...search.problems, ...(told.length ? told : [refused.detail])]
}

const PIECE = /([a-z]+):(?!:)("([^"]*)"|\S*)|\S+/gi
/** Addresses have colons too. */
const HEX = /^[\da-f]+$/i

/** `from:kiosks on:"tcp 443" words`. A key that is not known is told, with those that are. */
export function read<Key extends string>(text: string, keys: readonly Key[]): Sought<Key> {
  const words: string[] = []
  const out: Sought<Key> = { words: '', asked: {}, problems: [] }
  for (const [whole, key, value, quoted] of text.matchAll(PIECE)) {
    const known = keys.find((k) => k === key?.toLowerCase())
    if (!key || (!known && HEX.test(key))) words.push(whole)
    else if (!known) out.problems.push(`There is no ${key}: but ${keys.map((k) => `${k}:`).join(', ')}`)
    else if (known in out.asked) out.problems.push(`${known}: stands twice`)
    else if (quoted ?? value) out.asked[known] = quoted ?? value
    // Nothing stands behind it yet: it is still being typed.
  }
  out.words = words.join(' ')
  return out
}
