/** What of many rules each line of a map stands for. */

/** 0 off or not known yet, 1 decides a part, 2 all, 3 undecided, 4 superfluous. */
export type Level = 0 | 1 | 2 | 3 | 4
export const WORST: readonly Level[] = [4, 3, 1, 0, 2]

/** For each of `lines` lines, the share of each level among the rules that lie on it. */
export function shares(levels: readonly Level[], lines: number): number[][] {
  if (lines < 1) return [] // a list that is not in sight has a map without height
  const told = Array.from({ length: lines }, () => [0, 0, 0, 0, 0])
  const counts = new Array<number>(lines).fill(0)
  levels.forEach((level, at) => {
    const line = Math.min(lines - 1, Math.floor((at * lines) / levels.length))
    told[line]![level]!++
    counts[line]!++
  })
  return told.map((share, line) => share.map((n) => (counts[line] ? n / counts[line] : 0)))
}
