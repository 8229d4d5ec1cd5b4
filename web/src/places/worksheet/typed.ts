/** What was ticked off as typed in, and how a device's columns were corrected: kept in this browser. */
import type { Column, Entry } from '@/api/worksheets'

/** An entry by what it says: one that becomes another is not typed in yet. */
export function keyOf(policy: string, entry: Entry): string {
  const lines = entry.lines.map((line) => `${line.source} ${line.destination} ${line.service}`)
  return [policy, entry.action, ...entry.besides, ...lines].join('\n')
}

function read<T>(key: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? 'null') as T | null
  } catch {
    return null
  }
}

const typedAt = (network: number, device: number) => `sarvex typed ${network} ${device}`
const columnsAt = (network: number, policy: number, width: number) =>
  `sarvex columns ${network} ${policy} ${width}`

export function typedOf(network: number, device: number): Set<string> {
  const kept = read<unknown>(typedAt(network, device))
  return new Set(Array.isArray(kept) ? kept.filter((one): one is string => typeof one === 'string') : [])
}

export function keepTyped(network: number, device: number, typed: ReadonlySet<string>): void {
  localStorage.setItem(typedAt(network, device), JSON.stringify([...typed]))
}

export function keepColumns(network: number, policy: number, columns: readonly Column[]): void {
  localStorage.setItem(columnsAt(network, policy, columns.length), JSON.stringify(columns))
}

/** As they were corrected for a table of as many columns. */
export function columnsOf(network: number, policy: number, width: number): Column[] | null {
  const kept = read<unknown>(columnsAt(network, policy, width))
  return Array.isArray(kept) && kept.length === width ? (kept as Column[]) : null
}
