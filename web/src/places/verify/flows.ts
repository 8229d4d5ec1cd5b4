/** The rows of a decided table that fit: decided by one rule, and holding what is looked for. */
export function siftFlows(
  rows: readonly string[][],
  given: number,
  decider: string | null,
  text: string,
): readonly string[][] {
  const wanted = text.trim().toLowerCase()
  return rows.filter((row) => {
    const [verdict, rule, policy] = row.slice(given, given + 3)
    const by = verdict === 'error' ? 'error\terror\t' : `${verdict}\t${rule}\t${policy}`
    return (
      (decider === null || by === decider) &&
      (!wanted || row.some((cell) => cell.toLowerCase().includes(wanted)))
    )
  })
}
