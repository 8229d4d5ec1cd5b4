/** One line to look for things with: words, and `key:value` for what they are about. */

export interface Sought<Key extends string> {
  /** What is no key, as it was typed. */
  words: string
  asked: Partial<Record<Key, string>>
  /** What is not understood: nothing of it is passed over. */
  problems: string[]
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
