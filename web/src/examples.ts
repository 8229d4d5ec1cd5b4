/** Things as the server tells them, for tests: each with nothing odd about it but what a test says. */
import type { Decided, NameOut } from '@/api/client'

export const decided = (part: Partial<Decided>): Decided => ({
  decides: 'all',
  kind: null,
  cause: null,
  by: [],
  by_count: 0,
  taken: null,
  witness: null,
  exception_of: [],
  works: null,
  ...part,
})

export const name = (part: Partial<NameOut>): NameOut => ({
  name: 'x',
  kind: 'host',
  members: [],
  values: [],
  more: 0,
  description: '',
  id: 1,
  uses: 1,
  same: [],
  nearly: [],
  ...part,
})

export const names = [
  name({ name: 'ramp-plc', values: ['10.44.30.10', 'fd00:44:30::10'] }),
  name({ name: 'ramp-hmi', values: ['10.44.30.20'] }),
  name({ name: 'twin-a', values: ['10.44.30.21'] }),
  name({ name: 'twin-b', values: ['10.44.30.21'] }),
  name({ name: 'ntp', kind: 'service', values: ['udp/123'], description: 'time' }),
]
