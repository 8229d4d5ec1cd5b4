/** Where a policy is consulted, in which order among others, and what a device would be with it consulted otherwise. */
import type { GroundOut, Shapes } from '@/api/client'
import { alone } from '@/editing/things'
import { listed } from '@/words'

export type Device = GroundOut['devices'][number]
export type Entry = Required<Shapes['Attachment']>

export interface Place {
  device: Device
  /** In the device's list. */
  index: number
  entry: Entry
  /** The policies consulted before it at the same stage, and after it. */
  before: string[]
  after: string[]
}

const entriesOf = (device: Device) => (device.thing.policies ?? []) as Entry[]
const same = (a: string, b: string) => a.toLowerCase() === b.toLowerCase()

export function placesOf(ground: GroundOut, policy: string): Place[] {
  return ground.devices.flatMap((device) =>
    entriesOf(device).flatMap((entry, index, all) =>
      same(entry.policy, policy)
        ? [
            {
              device,
              index,
              entry,
              before: all.slice(0, index).flatMap((e) => (e.stage === entry.stage ? [e.policy] : [])),
              after: all.slice(index + 1).flatMap((e) => (e.stage === entry.stage ? [e.policy] : [])),
            },
          ]
        : [],
    ),
  )
}

/** In which order, in words; nothing where it is alone. */
export function orderOf({ before, after }: Pick<Place, 'before' | 'after'>): string {
  const told = [
    before.length && `after ${listed(before, 3)}`,
    after.length && `before ${listed(after, 3)}`,
  ].filter(Boolean)
  return told.join(', ')
}

type Thing = Device['thing']

const consulting = (device: Device, policies: Entry[]): Thing => ({ ...alone(device.thing), policies })

/** The device with one more entry: behind those of its stage, or before the first of them. */
export function withEntry(device: Device, entry: Entry, first: boolean): Thing {
  const all = entriesOf(device)
  const at = all.findIndex((e) => e.stage === entry.stage)
  const place = first && at >= 0 ? at : all.length
  return consulting(device, [...all.slice(0, place), entry, ...all.slice(place)])
}

export function without({ device, index }: Place): Thing {
  return consulting(
    device,
    entriesOf(device).filter((_, i) => i !== index),
  )
}

/** The device with an entry before the one that stood before it at its stage, or after the next; null where there is none. */
export function shifted({ device, index, entry }: Place, by: -1 | 1): Thing | null {
  const all = entriesOf(device)
  for (let other = index + by; other >= 0 && other < all.length; other += by)
    if (all[other]!.stage === entry.stage) {
      const next = [...all]
      next.splice(index, 1)
      next.splice(other, 0, entry)
      return consulting(device, next)
    }
  return null
}
