/** Request keys: what is sent again because nobody heard what came of it is done once. */
const unheard = new Map<string, string>()

/** A key that makes the retry of a request harmless. */
function newKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, '0')).join(
    '',
  )
}

/** The key of a request of some kind with just this content: the same one until it is answered. */
export function keyOf(what: string, content: unknown): string {
  const id = `${what} ${JSON.stringify(content)}`
  const key = unheard.get(id) ?? newKey()
  unheard.set(id, key)
  return key
}

/** It was answered, if only by a refusal: to ask for the same once more is to want it once more. */
export function heard(content: unknown): void {
  const end = ` ${JSON.stringify(content)}`
  for (const id of [...unheard.keys()]) if (id.endsWith(end)) unheard.delete(id)
}
