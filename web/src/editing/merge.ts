/** Two people's changes of one record brought together: what only the other one changed is taken, mine is kept. */
export function merge<T extends object>(
  base: T,
  mine: T,
  theirs: T,
): { merged: T; taken: (keyof T)[]; clashes: (keyof T)[] } {
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
  const changed = (Object.keys(base) as (keyof T)[]).filter(
    (key) => !same(theirs[key], base[key]) && !same(theirs[key], mine[key]),
  )
  const taken = changed.filter((key) => same(mine[key], base[key]))
  const merged = JSON.parse(
    JSON.stringify({ ...mine, ...Object.fromEntries(taken.map((key) => [key, theirs[key]])) }),
  ) as T
  return { merged, taken, clashes: changed.filter((key) => !taken.includes(key)) }
}
