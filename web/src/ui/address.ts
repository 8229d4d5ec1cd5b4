/** What of a place stands in its address, so that a reload, Back and a link sent to somebody else show the same. */
import { nextTick, watch } from 'vue'
import { type LocationQueryValue, type Router, useRoute, useRouter } from 'vue-router'

type Value = string | undefined

const PAUSE_MS = 150
interface Change {
  value: Value
  /** The place that it is about, if it is about one. */
  here?: unknown
}
let pending: Record<string, Change> = {}
let order: Promise<unknown> = Promise.resolve()
let arrival: Promise<void> = Promise.resolve()

/** Know when somebody is on the way to another place: a change of the address would call them back. */
export function watchMoves(router: Router): void {
  let arrived: (() => void) | null = null // one for a whole way, whatever it is led on to
  router.beforeEach((to, from) => {
    if (to.path !== from.path && !arrived) arrival = new Promise((resolve) => (arrived = resolve))
  })
  router.afterEach(() => {
    arrived?.()
    arrived = null
  })
}

/** Change some of the address's query and leave the rest: several changes at once are one. */
export function address(router: Router, change: Record<string, Value>, here?: unknown): void {
  const first = Object.keys(pending).length === 0
  for (const [key, value] of Object.entries(change)) pending[key] = { value, here }
  if (!first) return
  order = order.then(nextTick).then(async () => {
    await arrival
    const now = Object.entries(pending)
    pending = {}
    const { name, query } = router.currentRoute.value
    const still = now.filter(([, c]) => c.here === undefined || c.here === name)
    if (!still.length) return
    await router.replace({ query: { ...query, ...Object.fromEntries(still.map(([k, c]) => [k, c.value])) } })
  })
}

/**
 * Keep one value of the query in step with what is shown. What is shown leads, and the address follows a moment later; only
 * what the address says by itself (a link, Back) is shown. `show` may be called before there is anything to show it in.
 * The value is of the place where one is, unless it stays with one in every place.
 */
export function useAddress(
  key: string,
  shown: () => Value,
  show: (value: Value) => void,
  { everywhere = false } = {},
): void {
  const route = useRoute()
  const router = useRouter()
  const here = everywhere ? undefined : route.name
  const away = (name: unknown) => here !== undefined && name !== here
  let said = one(route.query[key])
  let timer = 0

  watch(shown, (value) => {
    clearTimeout(timer)
    timer = window.setTimeout(() => {
      if (away(router.currentRoute.value.name) || value === one(route.query[key])) return
      said = value
      address(router, { [key]: value }, here)
    }, PAUSE_MS)
  })
  watch(
    () => one(route.query[key]),
    (value) => {
      if (away(route.name) || value === said || value === shown()) return
      said = value
      clearTimeout(timer)
      show(value)
    },
  )
  if (said !== undefined) show(said)
}

function one(value: LocationQueryValue | LocationQueryValue[] | undefined): Value {
  return (Array.isArray(value) ? value[0] : value) ?? undefined
}
