/** Several lines of a list chosen, by clicks and by keys. */

/** What a click or key picks: one, one more or less, or all between the last one and this. */
export function pick(
  visible: readonly number[],
  picked: ReadonlySet<number>,
  last: number | null,
  id: number,
  how: 'one' | 'toggle' | 'range',
): Set<number> {
  if (how === 'one') return new Set()
  const from = last === null ? -1 : visible.indexOf(last)
  const to = visible.indexOf(id)
  const next = new Set(picked.size || last === null ? picked : [last])
  if (how === 'range' && from >= 0 && to >= 0) {
    for (let i = Math.min(from, to); i <= Math.max(from, to); i++) next.add(visible[i]!)
    return next
  }
  if (next.has(id)) next.delete(id)
  else next.add(id)
  return next
}
