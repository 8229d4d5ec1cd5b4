/** Addresses, prefixes and ranges as spans of numbers, to tell whether two of them meet. */
export interface Span {
  family: 4 | 6
  low: bigint
  high: bigint
}

/** The span of an address, a prefix or a range; null for anything else. */
export function spanOf(text: string): Span | null {
  const word = text.trim()
  if (word.includes('-')) {
    const [low, high] = word.split('-').map(addressOf)
    if (!low || !high || low.family !== high.family || low.value > high.value) return null
    return { family: low.family, low: low.value, high: high.value }
  }
  const [base = '', length] = word.split('/')
  const address = addressOf(base)
  if (!address) return null
  const bits = address.family === 4 ? 32 : 128
  if (length !== undefined && !/^\d{1,3}$/.test(length)) return null
  const free = BigInt(bits - Number(length ?? bits))
  if (free < 0n) return null
  const low = (address.value >> free) << free
  return { family: address.family, low, high: low + (1n << free) - 1n }
}

export function meet(a: Span, b: Span): boolean {
  return a.family === b.family && a.low <= b.high && b.low <= a.high
}

function addressOf(text: string): { family: 4 | 6; value: bigint } | null {
  const value = text.includes(':') ? groupsOf(text.trim()) : bytesOf(text.trim())
  return value === null ? null : { family: text.includes(':') ? 6 : 4, value }
}

function bytesOf(text: string): bigint | null {
  const bytes = text.split('.')
  if (bytes.length !== 4 || !bytes.every((b) => /^\d{1,3}$/.test(b) && Number(b) < 256)) return null
  return bytes.reduce((all, b) => (all << 8n) | BigInt(b), 0n)
}

/** RFC 4291 text, one run of zeros left out at most. */
function groupsOf(text: string): bigint | null {
  const halves = text.split('::')
  if (halves.length > 2) return null
  const [head, tail] = halves.map((half) => (half ? half.split(':') : [])) as [string[], string[] | undefined]
  const missing = 8 - head.length - (tail?.length ?? 0)
  if (tail ? missing < 1 : missing !== 0) return null
  const groups = [...head, ...Array<string>(tail ? missing : 0).fill('0'), ...(tail ?? [])]
  if (!groups.every((g) => /^[\da-f]{1,4}$/i.test(g))) return null
  return groups.reduce((all, g) => (all << 16n) | BigInt(`0x${g}`), 0n)
}
